"""A chunk split into lines, as the simplest result of working on it."""

from dataclasses import dataclass

from comb.reading.delimited.chunking import TextChunkRange


@dataclass
class Lines:
    """What a worker found that takes ``#...#`` for one record, line ends and all."""

    lines: list[bytes]
    after: int


def worked(run: TextChunkRange) -> Lines:
    """Split a run; a record whose second mark has not come yet is left."""
    lines: list[bytes] = []
    at = 0
    while at < len(run.data):
        end, inside = at, False
        while end < len(run.data) and (inside or run.data[end : end + 1] != b"\n"):
            inside ^= run.data[end : end + 1] == b"#"
            end += 1
        if end == len(run.data) and not run.last:
            break
        lines.append(run.data[at:end])
        at = end + 1
    return Lines(lines, min(at, len(run.data)))
