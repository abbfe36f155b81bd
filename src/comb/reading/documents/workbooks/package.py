"""The files inside a workbook: read bounded, and as XML without anything that reaches outside."""

import io
import struct
import zipfile
import zlib
from collections.abc import Callable
from typing import Any
from xml.parsers import expat

from comb.errors import ContentError
from comb.reading.io.decompress import MOST_BYTES, damaged, member_pieces, too_large

_ERRORS = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError, ValueError, struct.error, KeyError)

# The others come where an encoding or a number is not valid.
_XML_ERRORS = (expat.ExpatError, LookupError, ValueError, OverflowError)


class Package:
    """A zip archive with the parts of a workbook.

    Parameters
    ----------
    data : bytes
    name : str
        What to call the workbook in messages.
    most : int, optional
        The most bytes its parts may decompress to, taken together.

    Raises
    ------
    ContentError
        If it is damaged.
    """

    def __init__(self, data: bytes, name: str, most: int | None = None) -> None:
        self.name = name
        self._limit = 4 * MOST_BYTES if most is None else most
        self._left = self._limit
        try:
            self._archive = zipfile.ZipFile(io.BytesIO(data))
        except _ERRORS as error:
            raise damaged(name, "workbook", str(error)) from None
        self.names = frozenset(self._archive.namelist())

    def read(self, part: str) -> bytes:
        """Return the bytes of one part; nothing if it is not there."""
        found: list[bytes] = []
        self._decompress(part, found.append)
        return b"".join(found)

    def _decompress(self, part: str, take: Callable[[bytes], Any]) -> None:
        if part not in self.names:
            return
        try:
            for piece in member_pieces(self._archive, part):
                self._left -= len(piece)
                if self._left < 0:
                    raise too_large(self.name, self._limit)
                take(piece)
        except ContentError:
            raise
        except RuntimeError as error:
            raise ContentError(f"cannot be decompressed: {error}", where=self.name) from None
        except _ERRORS as error:
            raise damaged(self.name, "workbook", f"{part}: {error}") from None

    def parse_bytes(self, part: str, data: bytes, handler: Any) -> None:
        """Read XML that was decompressed before; as `parse`."""
        parser = self._parser(handler)
        try:
            parser.Parse(data, True)
        except ContentError:
            raise
        except _XML_ERRORS as error:
            raise damaged(self.name, "workbook", f"{part}: {error}") from None

    def _parser(self, handler: Any) -> Any:
        parser = expat.ParserCreate()
        parser.buffer_text = True
        parser.StartDoctypeDeclHandler = self._refuse
        parser.StartElementHandler, parser.EndElementHandler = handler.start, handler.end
        parser.CharacterDataHandler = handler.text
        return parser

    def parse(self, part: str, handler: Any) -> None:
        """Read one part as XML and tell a handler what comes.

        Parameters
        ----------
        part : str
        handler : object
            Has ``start(name, attributes)``, ``end(name)`` and ``text(data)``; names come
            without the prefix of the namespace, attributes as a dict.
        """
        parser = self._parser(handler)
        try:
            self._decompress(part, parser.Parse)
            if part in self.names:
                parser.Parse(b"", True)
        except ContentError:
            raise
        except _XML_ERRORS as error:
            raise damaged(self.name, "workbook", f"{part}: {error}") from None

    def _refuse(self, *_: object) -> None:
        raise ContentError(
            "it declares entities of its own, which no program that makes workbooks does", where=self.name,
            remedy="open it in a spreadsheet program and save it again",
        )  # fmt: skip
