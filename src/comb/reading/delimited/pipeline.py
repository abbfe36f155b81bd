"""The way of a text through its chunks: cut, read in parallel, put together.

A text in UTF-8 is cut into ranges of whole records (`chunking`), each range is read into columns (`chunk_reader`),
and the results are added in order (`assemble`). The first range is looked at beforehand: it shows how each column
is best read, and a wrong guess costs time only.

Ranges are read by several threads. The assembler is also the allocator of their results: as soon as a range knows
the number of its first row, which the range before promises to say (`RowOffsetPromise`), its values are written
where they stay. Nothing else is shared between the threads but the reader, which does not change any more.

A limit on rows, a first look, and dialects that can only be split whole are read by one thread. A large file is read
by workers, if there are any (`chunk_task`): they give the same results.
"""

from collections.abc import Callable, Iterator
from itertools import chain

from comb.execution.resources import Resources
from comb.kernels import dispatch
from comb.kernels.types import EVERYTHING
from comb.reading.delimited.assemble import ColumnAssembler
from comb.reading.delimited.chunk_reader import ChunkReader, ChunkResult
from comb.reading.delimited.chunking import TextChunkRange, chunk_ranges, last_record_end, parse_chunks
from comb.reading.io.text_stream import LOOK_BYTES, FilePlace, FileText, NotUtf8Error, SourceText

# Chunks of wide tables are longer, so that each has a fair number of rows.
USUAL_WIDTH = 100
MOST_TIMES_WIDER = 4


class ChunkPipeline:
    """Reads a text chunk by chunk.

    Parameters
    ----------
    text : SourceText
    reader : ChunkReader
    most : int
        At most this many rows.
    resources : Resources
    first_look : bool
        Read only what is at hand of the text, its beginning.
    tell : callable
        Called after each chunk with the bytes and rows so far.

    Attributes
    ----------
    whole : bool
        Whether, after `read`, nothing of the text was left.
    """

    def __init__(
        self,
        text: SourceText,
        reader: ChunkReader,
        most: int,
        resources: Resources,
        *,
        first_look: bool,
        tell: Callable[[int, int], None] = lambda size, rows: None,
    ) -> None:
        self._tell = tell
        self._text = text
        self._reader = reader
        self._most = most
        self._resources = resources
        self._first_look = first_look
        self.whole = True

    def read(self, expected: Callable[[ChunkResult], int]) -> ColumnAssembler:
        """Read the text.

        Parameters
        ----------
        expected : callable
            Says, when the first chunk is there, how many rows are likely in all.

        Raises
        ------
        NotUtf8Error
            If some of it is not UTF-8.
        """
        ranges = self._ranges()
        # Checked here, as the guess reads it before the threads do.
        first = next(ranges)
        if not dispatch.kernels.check_text(first.data)[0]:
            raise NotUtf8Error
        self._reader.guess(first)
        assembler = ColumnAssembler(self._reader.header, self._reader.groups, expected, self._resources.storage)
        # No rows were asked for: the guess is all there is.
        if not self._most:
            self.whole = False
            return assembler

        def read_chunk(text_range: TextChunkRange) -> ChunkResult:
            self._text.check(text_range.data)
            return self._reader.read(text_range, self._most - assembler.rows, assembler)

        # The reference works in this thread, which Ctrl-C reaches at once.
        in_chunks = dispatch.kernels.splits_in_chunks(self._reader.header.dialect)
        threads = self._resources.threads if self._most == EVERYTHING and in_chunks else 1
        file = self._file_for_workers(first) if in_chunks else None
        workers = self._resources.workers
        if file is None or workers is None:
            read = parse_chunks(chain([first], ranges), read_chunk, threads)
        else:
            from comb.reading.delimited.chunk_task import chunks_by_workers

            # The first chunk is read here: its result says how many rows to expect, and where the others begin.
            result = read_chunk(first)
            assert isinstance(self._text, FileText)
            others = chunks_by_workers(
                workers, self._text, file, self._reader, result.after, self._resources.task_bytes
            )
            read = chain([(first, result)], others)
        for text_range, result in read:
            assembler.add(result)
            self._tell(text_range.start + result.after, assembler.rows)
            if assembler.rows >= self._most or self._first_look:
                # With exactly as many rows as were asked for, nothing may be left all the same.
                at_end = text_range.last and result.after == len(text_range.data)
                self.whole = not self._first_look and at_end
                break
        return assembler

    def _file_for_workers(self, first: TextChunkRange) -> FilePlace | None:
        """Return where workers find the text; None where they do not read it."""
        if self._resources.workers is None or self._most != EVERYTHING or self._first_look:
            return None
        # Only a file that others can open, with line ends of LF, whose borders can be guessed.
        file = self._text.place() if isinstance(self._text, FileText) else None
        if file is None or b"\n" not in bytes(first.data):
            return None
        return file if file.size - file.offset - len(first.data) > self._resources.task_bytes else None

    def _ranges(self) -> Iterator[TextChunkRange]:
        header = self._reader.header
        in_chunks = dispatch.kernels.splits_in_chunks(header.dialect)
        quote = (header.layout.quote or "").encode()
        if not self._first_look and in_chunks:
            times = min(MOST_TIMES_WIDER, 1 + header.read_width // USUAL_WIDTH)
            return chunk_ranges(self._text.read_behind, quote, times * self._resources.chunk_bytes)
        if not self._first_look:
            # What can only be split whole is one range, from beginning to end.
            return iter([TextChunkRange(0, b"".join(iter(lambda: self._text.read(LOOK_BYTES), b"")), last=True)])
        # Only what was read already, up to its last whole record.
        data = self._text.start[header.offset :]
        end = last_record_end(data, quote) if in_chunks else len(data)
        return iter([TextChunkRange(0, data[:end], last=not in_chunks)])
