"""A picture as users hold it: its sentence, its numbers, saved as a file, and itself in a notebook."""

from pathlib import Path
from typing import Any

from comb.drawing.kinds import drawing_of
from comb.drawing.render import FORMATS, render
from comb.drawing.request import PictureRequest
from comb.errors import ParameterError, listing, washed_lines
from comb.interface.step_table import StepTable
from comb.reading.io.source_file import check_path, path_of
from comb.writing.atomic import check_file_free, write_files
from comb.writing.files import files_of


class Picture:
    """A picture: a chart with its numbers and its caption.

    Made by `Table.draw`, not by hand.

    Attributes
    ----------
    title : str
        A sentence that says what it shows.
    caption : str
        How many rows are drawn, which are not and why, and the source.
    data : Table
        The numbers that are drawn.
    """

    def __init__(self, table: StepTable, request: PictureRequest) -> None:
        self.request = request
        self._drawing = drawing_of(table, request)
        self._drawn: dict[str, tuple[bytes, list[str]]] = {}
        self.title, self.caption = self._drawing.title, self._drawing.caption
        self.data = table._made(self._drawing.data, self.title)

    def __repr__(self) -> str:
        return washed_lines(f"{self.title}\n{self.caption}\n{repr(self.data) if self.data.row_count else 'no numbers'}")

    def to_bytes(self, kind: str = "png") -> bytes:
        """Return the picture as a file: ``png``, ``svg`` or ``pdf``. The same input gives the same bytes."""
        if kind not in self._drawn:
            self._drawn[kind] = render(self._drawing, kind)
        return self._drawn[kind][0]

    @property
    def notes(self) -> list[str]:
        """What could not be drawn; empty until it was."""
        return [note for _, notes in self._drawn.values() for note in notes][:1]

    def save(self, path: str | Path, *, numbers: str | Path | None = None, overwrite: bool = False) -> None:
        """Save the picture, and the numbers behind it if asked for: both, or neither.

        Parameters
        ----------
        path : str or Path
            The suffix says what is written: ``.png``, ``.svg``, ``.pdf``.
        numbers : str or Path, optional
            A second file in the same folder, for the table of numbers: ``.csv``, ``.xlsx`` and others.
        overwrite : bool

        Raises
        ------
        ParameterError
            For another suffix.
        WriteError
            If a file exists, or the system refuses.
        """
        path = path_of(path)
        check_path(path)
        place = Path(path)
        kind = picture_format(place.name)
        check_file_free(place, overwrite=overwrite)
        files: dict[str, Any] = {place.name: self.to_bytes(kind)}
        if numbers is not None:
            beside = Path(numbers)
            if beside.parent.resolve() != place.parent.resolve():
                raise ParameterError(f"the numbers stand beside their picture, in {place.parent}, got {numbers}")
            check_file_free(beside, overwrite=overwrite)
            files[beside.name] = files_of(self.data, beside.name, {}, describe=False, taken=())[beside.name]
        write_files(place.parent, files, overwrite=overwrite)

    def _repr_mimebundle_(self, include: Any = None, exclude: Any = None) -> dict[str, Any]:
        """Show itself in a notebook; in text, its sentence and numbers."""
        return {"image/png": self.to_bytes("png"), "text/plain": repr(self)}


def picture_format(name: str) -> str:
    """Return the kind of file that a suffix means.

    >>> picture_format("mites.svg")
    'svg'

    Raises
    ------
    ParameterError
        If a picture cannot be written in it.
    """
    suffix = Path(name).suffix.lower().removeprefix(".")
    if suffix not in FORMATS:
        endings = listing([f".{one}" for one in FORMATS])
        raise ParameterError(f"a picture cannot be written to {name!r}", remedy=f"name a file that ends in {endings}")
    return suffix
