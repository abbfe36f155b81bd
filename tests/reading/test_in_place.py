"""Runs that put what they read where it stays: where each begins, what grows, what turns out otherwise."""

import io
from collections.abc import Callable
from pathlib import Path
from random import Random

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from comb.chunks.column_builder import MOST_KNOWN
from comb.execution.resources import Resources
from comb.kernels import dispatch
from comb.kernels.blocks import Scratch
from comb.reading.delimited.chunking import TextChunkRange, chunk_ranges, parse_chunks
from comb.reading.io import source_file
from comb.reading.io.source_file import OpenSource
from comb.tables.read_options import ReadOptions
from support.both_kernels import outcome, reference
from support.by_workers import by_workers
from support.examples import drawn
from support.lines import Lines, worked

compiled_only = pytest.mark.skipif(not dispatch.kernels.compiled, reason="nothing is compiled here")


@given(
    st.lists(st.sampled_from([b"a", b"bb", b"#x\ny#", b"#\n\n#", b"", b"c#\n\n\n#d"]), max_size=40),
    st.integers(1, 30),
    st.integers(1, 4),
)
def test_a_run_is_told_its_first_row_or_nothing(records: list[bytes], size: int, threads: int) -> None:
    data = b"\n".join(records)
    place = [0]

    def read(ahead: bytes, wanted: int) -> bytes:
        place[0] += wanted
        return ahead + data[place[0] - wanted : place[0]]

    message: dict[int, list[int | None]] = {}

    def working(run: TextChunkRange) -> Lines:
        result = worked(run)
        message.setdefault(run.start, []).append(run.first_row(result.after, len(result.lines)))
        return result

    rows = 0
    for run, result in parse_chunks(chunk_ranges(read, b"", size), working, threads):
        # What was told to a run that had to be worked on again does not count.
        assert message[run.start][-1] in (None, rows)
        rows += len(result.lines)
    if b"#" not in data:
        # Where no cut is wrong, every run is told.
        assert None not in [one for many in message.values() for one in many]


@given(st.binary(max_size=300), st.lists(st.integers(1, 80), min_size=1, max_size=20))
def test_what_is_read_behind_is_the_file(
    tmp_path_factory: pytest.TempPathFactory, data: bytes, sizes: list[int]
) -> None:
    path = tmp_path_factory.mktemp("read") / "file"
    path.write_bytes(data)
    with OpenSource(path) as opened:
        rest, found = b"", b""
        for size in sizes * 300:
            piece = opened.read_behind(rest, size)
            assert piece[: len(rest)] == rest
            if len(piece) == len(rest):
                break
            found += bytes(piece[len(rest) :])
            rest = bytes(piece[-3:])
        assert found == data and opened.at_end
        assert opened.stamp().checksum == source_file.combined([opened.stamp().checksum])


def test_a_stream_that_comes_in_drops_is_read_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    class Drops(io.RawIOBase):
        """Gives a few bytes at a time, as a pipe may."""

        left = b"a,b\n1,2\n3,4\n"

        def readable(self) -> bool:
            return True

        def readinto(self, into: memoryview) -> int:  # type: ignore[override]
            some = self.left[: min(len(into), 2)]
            into[: len(some)], self.left = some, self.left[len(some) :]
            return len(some)

    drops = Drops()
    monkeypatch.setattr("sys.stdin", type("Input", (), {"buffer": io.BufferedReader(drops, 4)}))
    with OpenSource("-") as opened:
        assert bytes(opened.read_behind(b"x", 10)) == b"xa,b\n1,2\n3,"


def lines(count: int, cells: Callable[[int], list[str]]) -> str:
    return "".join(",".join(cells(at)) + "\n" for at in range(count))


MANY = MOST_KNOWN + 500

# A name for each case, and a text whose later parts are unlike the first.
TURNS = {
    "shorter rows than the first, so that there are more than expected": lines(400, lambda at: [str(at), f"{at}" * 9, "x" * 40]) + lines(3000, lambda at: ["1", "2", "y"]),
    "numbers that become texts, and numbers again": lines(900, lambda at: [str(at), f"{at}.5", "a"]) + lines(300, lambda at: ["ask", f"{at}.5", "b"]) + lines(900, lambda at: [str(at), f"{at}.25", "c"]),
    "a column each that stays and that goes": lines(900, lambda at: [str(at), str(at), "a"]) + lines(900, lambda at: [str(at), f"no {at}", "b"]),
    "few texts, then too many to be told": lines(900, lambda at: [f"t{at % 5}", "1", "2026-01-01"]) + lines(MANY, lambda at: [f"u{at // 3}", "2", "2026-01-02"]) + lines(900, lambda at: [f"t{at % 7}", "3", "x"]),
    "few texts, then none alike": lines(900, lambda at: [f"t{at % 5}", "", "1"]) + lines(900, lambda at: [f"only {at}", "", "2"]) + lines(900, lambda at: [f"t{at % 5}", "", "3"]),
    "short rows here and there": lines(900, lambda at: [str(at), f"{at % 3}", "a"][: 3 - (at % 50 == 7)]) + lines(900, lambda at: [str(at)] if at % 9 == 0 else [str(at), "x", "b", "c"]),
    "quotes across the borders of runs": lines(900, lambda at: [str(at), f'"{at}\n,{at}"', "a"]) + lines(20, lambda at: ['"open', "1", "b"]) + lines(600, lambda at: [str(at), '"say ""no"""', "c"]),
}  # fmt: skip


@compiled_only
@pytest.mark.parametrize("name", TURNS)
def test_what_comes_later_may_be_otherwise(tmp_path: Path, name: str) -> None:
    path = tmp_path / "turning.csv"
    path.write_text("first,second,third\n" + TURNS[name], newline="")
    with reference():
        expected = outcome(path, ReadOptions(), Resources())
    for resources in (
        Resources(1, 2000),
        Resources(2, 5000),
        Resources(4, 1500),
        Resources(3, 20_000),
        by_workers(700),
    ):
        assert outcome(path, ReadOptions(), resources) == expected, resources


@compiled_only
@settings(max_examples=drawn(40), suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.integers(0, 2**32), st.integers(20, 400), st.integers(1, 4))
def test_any_mixture_in_any_runs(tmp_path: Path, seed: int, size: int, threads: int) -> None:
    chance = Random(seed)
    pools = [["1", "22", "333"], ["1.5", "2.25", ""], ["a", "b", "c d"], ["2026-01-01", "2026-02-03"], ["007", "x"], ["1e5", "-0.0", "9" * 20], ["yes", "no"], [" 1", "+2", "n/a"]]  # fmt: skip
    text, columns = "", [chance.choice(pools) for _ in range(3)]
    for _ in range(chance.randrange(1, 80)):
        if chance.random() < 0.05:
            columns[chance.randrange(3)] = chance.choice(pools)
        text += ",".join(chance.choice(pool) for pool in columns) + "\n"
    path = tmp_path / "mixture.csv"
    path.write_text("a,b,c\n" + text)
    with reference():
        expected = outcome(path, ReadOptions(), Resources())
    assert outcome(path, ReadOptions(), Resources(threads, size)) == expected
    assert outcome(path, ReadOptions(), by_workers(size, 10 * threads)) == expected


@compiled_only
def test_every_border_of_a_small_file(tmp_path: Path) -> None:
    path = tmp_path / "small.csv"
    path.write_bytes(
        b'n;t;d\r\n1;"a ""b""";2026-01-02\r\n22;;\r\n\r\n-3,5;"x\r\ny";3.4.2026\r\n"4;unclosed;5\r\n6;\xc3\xa9;7'
    )
    with reference():
        expected = outcome(path, ReadOptions(), Resources())
    for size in range(1, path.stat().st_size + 2):
        for threads in (1, 2, 5):
            assert outcome(path, ReadOptions(), Resources(threads, size)) == expected, (size, threads)


def test_memory_used_again_is_as_large_as_it_has_to_be() -> None:
    scratch = Scratch()
    first = scratch.array("places", 10, np.int32)
    first[:] = 7
    assert scratch.array("places", 5, np.int32).tolist() == [7] * 5
    larger = scratch.array("places", 1000, np.int32)
    assert len(larger) == 1000 and larger.dtype == np.int32 and len(scratch.array("side", 3, np.uint8)) == 3


PARTS = [
    '1,2,"a\nb"',
    '"x ""y"" z",,3',
    "7,8,plain",
    '"\n\n\n,",5,6',
    "",
    '4,"an open one,5',
    'é,"ü\r\nö",9',
    "1,2",
    "1,2,3,4",
    ",,",
]


@compiled_only
@settings(max_examples=drawn(60), suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(
    st.lists(st.sampled_from(PARTS), min_size=1, max_size=12), st.integers(0, 2**32), st.sampled_from(["\n", "\r\n", "\r"]),
    st.integers(20, 3000), st.booleans(),
)  # fmt: skip
def test_workers_read_what_one_thread_reads(
    tmp_path: Path, kinds: list[str], seed: int, end: str, size: int, notes: bool
) -> None:
    chance = Random(seed)
    rows = [chance.choice(kinds) for _ in range(chance.randrange(300, 500))]
    path = tmp_path / "sent.csv"
    text = end.join(["n,m,t", *rows]) + end + (f"{end}Source: the log book{end}" if notes else "")
    path.write_bytes(text.encode("latin-1" if seed % 7 == 0 else "utf-8"))
    resources = by_workers(size)
    assert outcome(path, ReadOptions(), resources) == outcome(path, ReadOptions(), Resources(1))
    plain = '4,"an open one,5' not in kinds and seed % 7 and end != "\r" and len(text) > 9 * size
    assert not plain or (resources.workers and resources.workers.asked)
