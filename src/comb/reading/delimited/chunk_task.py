"""Chunks of a file that workers read: the task, how it is done, and how the results are put in order.

A task is a plain value: which file and where in it, how the text is read, by which version of Comb. A worker opens the
file itself, so it has to be there under the same path, as a shared folder is.

Where a record begins is not known before the text in front of it was split. So borders are guessed, and each result
says where it really began and ended:

- A task names two places. It begins at the first line end at or behind the first of them, as if that place were
  outside of quotes, and ends at the first line end at or behind the second that has an even number of quotes before
  it. The next task begins by the same rule at the same place. So they meet wherever no quoted field with line ends
  in it lies across a border.
- Results are taken in order. One that does not begin where the one before it ended was cut in the wrong place: it is
  dropped, and a task that begins exactly there takes its place. One that ended earlier than it was cut had an open
  quote: what is left is read together with what follows, twice as much each time.

So a wrong guess costs time only, and the result is the same wherever the text was cut. The last task has a fair
number of lines, so that notes below the table are in one chunk. The process that asks reads the first chunk, from
which it learns how the columns are best read, and all of the bytes once for their checksum.
"""

from bisect import bisect_right
from collections.abc import Iterator
from functools import lru_cache
from pickle import dumps, loads
from threading import Event

import msgspec
from msgspec.structs import replace

from comb.errors import WorkersFailed
from comb.execution.cluster import TaskQueue, Workers
from comb.execution.executor import helper
from comb.kernels import dispatch
from comb.reading.delimited.chunk_reader import ChunkReader, ChunkResult
from comb.reading.delimited.chunking import LAST_LINES, TextChunkRange
from comb.reading.io.text_stream import FilePlace, FileText, NotUtf8Error
from comb.version import __version__

# A line end behind a border is looked for in this much, and in twice as much each time it has none.
LIKELY_RECORD = 1 << 16


class ChunkTask(msgspec.Struct, frozen=True):
    """A chunk of a file to be read.

    Attributes
    ----------
    file : FilePlace
    start, stop : int
        In bytes from the beginning of the rows.
    exact : bool
        Whether a record begins at `start`; else the first line end behind it is looked for.
    last : bool
        Whether the text ends at `stop`.
    quote : bytes
    reader : bytes
        A `ChunkReader`, pickled once for all tasks.
    version : str
        Of Comb.
    compiled : bool
        Whether the process that asks has the compiled kernels.
    """

    file: FilePlace
    start: int
    stop: int
    exact: bool
    last: bool
    quote: bytes
    reader: bytes
    version: str = __version__
    compiled: bool = True

    @property
    def where(self) -> str:
        """Name the file and the bytes, from 0."""
        first = self.file.offset + self.start
        return f"{self.file.path}, bytes {first:,} to {self.file.offset + self.stop:,}"


class ReadChunk(msgspec.Struct, frozen=True):
    """What came of a task.

    Attributes
    ----------
    start, stop : int
        Where the chunk really began, and where it was cut.
    text : tuple of (bool, int, int)
        Whether it is UTF-8, how many control characters it has, and how many characters.
    result : ChunkResult or None
        None where it is not UTF-8.
    """

    start: int
    stop: int
    text: tuple[bool, int, int]
    result: ChunkResult | None


def read_chunk(task: ChunkTask) -> ReadChunk:
    """Do a task; called in a worker.

    Raises
    ------
    CombError
        If the worker has another version, no compiled kernels, or not the same file.
    """
    if (task.version, task.compiled) != (__version__, bool(dispatch.kernels.compiled)):
        mine, theirs = _described(__version__, dispatch.kernels.compiled), _described(task.version, task.compiled)
        message = f"a worker has Comb {mine}, this process {theirs}"
        raise WorkersFailed(message, where=task.where, remedy="install the same on all of them")
    # One byte back, as below: a border behind a line end is a record's beginning.
    start = task.start if task.exact else record_end(task.file, task.start - 1, task.quote, task.stop)
    start = min(start, task.stop)
    data = task.file.read(start, task.stop)
    stop = task.stop
    if not task.last and data:
        # One byte back: the place itself may be behind a line end.
        even = data.count(task.quote, 0, len(data) - 1) % 2 == 0 if task.quote else True
        stop = record_end(task.file, task.stop - 1, task.quote, task.file.size - task.file.offset, even=even)
        data += task.file.read(task.stop, stop) if stop > task.stop else b""
    # What is not UTF-8 is read by the process that asks, as a whole: another encoding has to be found.
    text = dispatch.kernels.check_text(data)
    if not text[0]:
        return ReadChunk(start, stop, text, None)
    return ReadChunk(start, stop, text, _reader(task.reader).read(TextChunkRange(start, data, task.last)))


def _described(version: str, compiled: bool) -> str:
    return f"{version} {'compiled' if compiled else 'without compiled kernels'}"


@lru_cache(maxsize=8)
def _reader(pickled: bytes) -> ChunkReader:
    """Return the reader that came with a task; all tasks of a text have the same."""
    reader = loads(pickled)
    assert isinstance(reader, ChunkReader)
    return reader


def record_end(file: FilePlace, start: int, quote: bytes, most: int, *, even: bool = True) -> int:
    """Return where the first record ends behind a place: behind a line end, outside of quotes.

    Parameters
    ----------
    file : FilePlace
    start : int
    quote : bytes
        Empty where nothing is quoted.
    most : int
        Where the text ends, or no end is looked for any more: what is returned if no record ends before.
    even : bool
        Whether the place is outside of quotes.
    """
    size = LIKELY_RECORD
    while start < most:
        data = file.read(start, min(start + size, most))
        at = 0
        # Each line end is looked at once, and the quotes between two of them counted.
        while (end := data.find(b"\n", at) + 1) > 0:
            even ^= bool(quote) and data.count(quote, at, end) % 2 == 1
            if even:
                return start + end
            at = end
        even ^= bool(quote) and data.count(quote, at) % 2 == 1
        start += len(data)
        size *= 2
    return most


def chunks_by_workers(
    workers: Workers, text: FileText, file: FilePlace, reader: ChunkReader, start: int, task_bytes: int
) -> Iterator[tuple[TextChunkRange, ChunkResult]]:
    """Have workers read a text from a place on, and give the results in order.

    Parameters
    ----------
    workers : Workers
    text : FileText
        The same text here: what is not read of it yet is read for its checksum, beside.
    file : FilePlace
    reader : ChunkReader
        Knows already how the columns are read.
    start : int
        Where the first record begins that is to be read.
    task_bytes : int

    Yields
    ------
    TextChunkRange, ChunkResult
        The range without its bytes.

    Raises
    ------
    NotUtf8Error
        If some of the text is not UTF-8.
    WorkersFailed
        If they die or cannot be reached.
    """
    size = file.size - file.offset
    quote = (reader.header.layout.quote or "").encode()
    # All tasks are this one with other borders: what they have in common is pickled once.
    whole = ChunkTask(
        file, start, size, exact=True, last=True, quote=quote, reader=dumps(reader),
        compiled=bool(dispatch.kernels.compiled),
    )  # fmt: skip
    borders = _borders(text, start, size, task_bytes)

    def tasks() -> Iterator[ChunkTask]:
        before = start
        # Only the first one knows that a record begins where it does.
        for border in borders:
            yield replace(whole, start=before, stop=border, exact=before == start, last=border == size)
            before = border

    queue = TaskQueue(workers, read_chunk, tasks(), lambda task: task.where)
    ended = Event()
    at, span = start, 1
    with helper() as beside:
        passed = beside.submit(text.pass_over, ended)
        try:
            while at < size:
                # Tasks that end before this place were read as part of another.
                while (head := queue.head()) is not None and head.stop <= at:
                    queue.drop()
                read = queue.next() if head is not None and span == 1 else None
                # The border was guessed wrong: read once more from the place that is known, over more tasks each time.
                if read is None or read.start != at:
                    behind = bisect_right(borders, at)
                    stop = borders[min(behind + span, len(borders)) - 1 if behind < len(borders) else -1]
                    read = queue.now(replace(whole, start=at, stop=stop, last=stop == size))
                text.count(*read.text, read.stop - read.start)
                if read.result is None:
                    raise NotUtf8Error
                # The worker's reader stayed there; texts that are needed again are read here.
                read.result.reread.reader = reader
                yield TextChunkRange(read.start, b"", read.stop == size), read.result
                at = read.start + read.result.after
                if read.stop == size and not read.result.after:
                    break
                span = 1 if at == read.stop else 2 * span
            passed.result()
        finally:
            ended.set()
            queue.close()


def _borders(text: FileText, start: int, size: int, task_bytes: int) -> list[int]:
    """Return where tasks end; the last has a fair number of lines."""
    tail = task_bytes
    while tail < size - start and text.again(size - tail, size).count(b"\n") < 2 * LAST_LINES:
        tail *= 2
    return [*range(start + task_bytes, size - tail, task_bytes), size]
