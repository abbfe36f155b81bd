"""A text cut into ranges of whole records, worked on in parallel. Pure: bytes in, results out.

Where a range ends is a guess: after a line end with an even number of quotes before it. Inside a quoted field the
number is odd, and a doubled quote adds two, so the guess is right wherever quotes are well formed, however the
range was cut. A stray quote turns it wrong.

That costs time only. Each range is split exactly, from where the one before it ended; what its last record left
over shows in `after`. Where that is not the end of the range, it was cut in the wrong place: what is left is joined
with the ranges that follow, the work already done on those is dropped, and all of it is split again. An open quote
may reach far, so each time twice as many ranges are taken.

Ranges are worked on before it is known how many rows those before them have. A `RowOffsetPromise` connects each
range with the next: as soon as a range is split it knows how many rows it has, and fulfils the promise with the row
at which the next one begins. Whoever works on the next range waits for that, briefly, and then knows where its
values belong. A range that was cut in the wrong place fulfils its promise with None, as does one whose work failed:
what comes after it has no place beforehand and is copied. Nobody waits for a range that is behind it, so that
waiting cannot lock up.

The last range has a fair number of lines, so that notes below the table, gaps included, are in one range.
"""

import threading
from collections import deque
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Generic, Protocol, TypeVar

import msgspec
from msgspec.structs import replace

from comb.execution.executor import executor_of
from comb.kernels import dispatch
from comb.kernels.types import Data

if TYPE_CHECKING:
    from concurrent.futures import Executor, Future

# The last chunk holds this many lines, so that notes below the table are in one chunk, gaps and all.
LAST_LINES = 64
COUNTED_AT_ONCE = 1 << 14

# A line that is looked for from behind is likely to end among this many bytes.
LIKELY_LINE = 1 << 14

# A chunk whose quotes leave no line end to cut at is tried at this many before more is read.
MOST_TRIES = 200


class RowOffsetPromise:
    """The row at which a chunk begins, told by the chunk before as soon as that knows how many rows it has."""

    __slots__ = ("_known", "_row")

    def __init__(self) -> None:
        self._row: int | None = None
        self._known = threading.Event()

    def fulfil(self, row: int | None) -> "RowOffsetPromise":
        """Say the row; None if it is not known. Only what is said first counts."""
        if not self._known.is_set():
            self._row = row
            self._known.set()
        return self

    def wait(self) -> int | None:
        """Return the row, when it is said."""
        self._known.wait()
        return self._row


class TextChunkRange(msgspec.Struct, frozen=True):
    """Some whole records, as far as can be told before they are split.

    Attributes
    ----------
    start : int
        Where it begins, in bytes from the first chunk.
    data : bytes or memoryview
    last : bool
        Whether the text ends here.
    before, behind : RowOffsetPromise, optional
        The row with which it begins, and that with which the next one does.
    """

    start: int
    data: Data
    last: bool
    before: RowOffsetPromise | None = None
    behind: RowOffsetPromise | None = None

    def first_row(self, after: int, rows: int) -> int | None:
        """Return the row with which the chunk begins, None if that is not known; and let the next chunk know its own.

        Parameters
        ----------
        after : int
            How far the chunk was split, in bytes. Unless that is its end, the next chunk was cut in the wrong place.
        rows : int
            How many rows it has.
        """
        if self.before is None or self.behind is None:
            return None
        # The chunk before is ahead of this one: whoever waits here waits for work that has begun.
        row = self.before.wait()
        self.behind.fulfil(None if row is None or after < len(self.data) else row + rows)
        return row


class HasEnd(Protocol):
    """The result of working on a chunk."""

    @property
    def after(self) -> int:
        """The byte at which the first record begins that was not read."""


Result = TypeVar("Result", bound=HasEnd)


def last_record_end(data: Data, quote: bytes) -> int:
    """Return where the last whole record ends, by the number of quotes; 0 if none does.

    >>> last_record_end(b'a,b\\n1,"x\\ny"\\n2,"z\\n', b'"')
    12
    """
    end = _last_line_end(data)
    if not quote:
        return end
    # A chunk begins outside of quotes: with an even number of them, the line end is outside too.
    even = dispatch.kernels.count_byte(data, quote[0], end) % 2 == 0
    if even or not end:
        return end
    whole = bytes(data)
    for _ in range(MOST_TRIES):
        before = whole.rfind(quote, 0, end)
        earlier = _line_end(whole, before)
        # Only what is between the two line ends is counted, not all up to here once more.
        even ^= whole.count(quote, earlier, end) % 2 == 1
        end = earlier
        if even or not end:
            return end
    return 0


def _last_line_end(data: Data) -> int:
    """Return the end of the last line; it is likely to be near."""
    start = max(0, len(data) - LIKELY_LINE)
    end = bytes(data[start:]).rfind(b"\n") + 1
    return start + end if end else _line_end(bytes(data), len(data))


def _line_end(data: bytes, stop: int) -> int:
    """Return the end of the last line that ends before a place, 0 if none does."""
    end = data.rfind(b"\n", 0, stop) + 1
    if end:
        return end
    end = data.rfind(b"\r", 0, stop) + 1
    # What follows a lone carriage return may be the rest of a line end.
    return end if end < len(data) else data.rfind(b"\r", 0, max(end - 1, 0)) + 1


def chunk_ranges(read_behind: Callable[[bytes, int], Data], quote: bytes, size: int) -> Iterator[TextChunkRange]:
    """Cut a text into chunks as it is read.

    Parameters
    ----------
    read_behind : callable
        Returns bytes and this many more that follow them, in one piece; just the bytes at the end of the text.
    quote : bytes
    size : int
        This many bytes are read at once.
    """
    start, rest, wanted = 0, b"", size
    held: deque[TextChunkRange] = deque()
    lines = 0
    while len(chunk := read_behind(rest, wanted)) > len(rest):
        end = last_record_end(chunk, quote)
        if not end:
            # A record larger than a chunk: read ever more, so that the copying stays in proportion.
            rest = bytes(chunk)
            wanted = len(rest)
            continue
        # Held back until enough lines follow: whether it is the last one decides where notes below are looked for.
        held.append(TextChunkRange(start, memoryview(chunk)[:end], last=False))
        start += end
        rest, wanted = bytes(chunk[end:]), size
        lines = lines + _lines(held[-1].data) if len(held) > 1 else 0
        while lines >= LAST_LINES:
            yield held.popleft()
            lines -= _lines(held[0].data)
    # What is left may be the last chunk alone, if it is long enough; else it takes in those held.
    if held and _lines(rest) >= LAST_LINES:
        yield from held
        held.clear()
    yield TextChunkRange(
        held[0].start if held else start, b"".join([*(text_range.data for text_range in held), rest]), last=True
    )


def _lines(data: Data) -> int:
    """Count lines, but not many more than matter here."""
    count = 0
    for start in range(0, len(data), COUNTED_AT_ONCE):
        some = bytes(data[start : start + COUNTED_AT_ONCE])
        count += some.count(b"\n") + some.count(b"\r")
        if count >= LAST_LINES:
            break
    return count


class _Work(Generic[Result]):
    """Runs in work, in order, with the right one always next."""

    def __init__(
        self,
        source: Iterator[TextChunkRange],
        work: Callable[[TextChunkRange], Result],
        threads: int,
    ) -> None:
        self._source = source
        self._work = work
        self._threads = threads
        self._executor: Executor | None = None
        self._ahead: deque[tuple[TextChunkRange, Future[Result] | None]] = deque()
        self._behind = RowOffsetPromise().fulfil(0)

    def _work_on(self, text_range: TextChunkRange) -> Result:
        try:
            return self._work(text_range)
        finally:
            # Also after an error, or the chunk behind would wait for ever; what was said before stays.
            if text_range.behind is not None:
                text_range.behind.fulfil(None)

    def fill(self, most: int) -> None:
        while len(self._ahead) < most:
            text_range = next(self._source, None)
            if text_range is None:
                return
            # A chain of promises: what is behind one is before the next.
            text_range = replace(text_range, before=self._behind, behind=RowOffsetPromise())
            self._behind = text_range.behind or self._behind
            # One chunk alone, as most files are, is worked on at once.
            if self._threads > 1 and not text_range.last:
                self._executor = self._executor or executor_of(self._threads + 1)
            self._ahead.append(
                (text_range, self._executor.submit(self._work_on, text_range) if self._executor else None)
            )

    def next(self) -> tuple[TextChunkRange, Result] | None:
        """Return the next chunk with its result."""
        self.fill(1)
        if not self._ahead:
            return None
        text_range, future = self._ahead.popleft()
        return text_range, future.result() if future else self._work_on(text_range)

    def close(self) -> None:
        """Let the threads go; what was not begun is not done."""
        if self._executor:
            self._executor.shutdown(cancel_futures=True)

    def joined(self, text_range: TextChunkRange, after: int, count: int) -> tuple[TextChunkRange, Result]:
        """Work on what a chunk left together with the chunks that follow; what was done on those is dropped."""
        start, data, last = text_range.start + after, [text_range.data[after:]], text_range.last
        for _ in range(count):
            self.fill(1)
            if self._ahead:
                following, future = self._ahead.popleft()
                # One that was never begun says nothing itself.
                if following.behind is not None and (future is None or future.cancel()):
                    following.behind.fulfil(None)
                data.append(following.data)
                last = following.last
        # Without promises: its values are copied when they are added, and those behind it know no row either.
        whole = TextChunkRange(start, b"".join(data), last)
        return whole, self._work_on(whole)


def parse_chunks(
    source: Iterator[TextChunkRange], work: Callable[[TextChunkRange], Result], threads: int = 1
) -> Iterator[tuple[TextChunkRange, Result]]:
    """Work on chunks, several at a time, and give the results in order.

    Parameters
    ----------
    source : iterator of TextChunkRange
    work : callable
        Splits a chunk; says in `after` how far it came.
    threads : int

    Yields
    ------
    chunk, result
        The chunks as they really begin.
    """
    working = _Work(source, work, threads)
    ahead = threads + 1 if threads > 1 else 0
    try:
        working.fill(max(ahead, 1))
        found = working.next()
        while found is not None:
            # More to do is handed out first: what becomes of this result takes its time too.
            working.fill(ahead)
            text_range, result = found
            count = 1
            while result.after < len(text_range.data):
                # Up to the open quote all was right.
                if result.after:
                    yield text_range, result
                    count = 1
                # An open quote may reach far: take twice as much each time.
                text_range, result = working.joined(text_range, result.after, count)
                count *= 2
            yield text_range, result
            found = working.next()
    finally:
        working.close()
