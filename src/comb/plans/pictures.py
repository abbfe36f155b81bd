"""The pictures of a plan: what `pictures:` of a table lists, drawn of the result and saved with the dataset."""

from collections.abc import Mapping

import msgspec

from comb.drawing.kinds import drawing_of
from comb.drawing.render import FORMATS, render
from comb.drawing.request import PictureRequest
from comb.errors import CombError, ParameterError, listing
from comb.plans.model import PlanText, TablePlan
from comb.tables.table import BareTable


class DrawnPicture(msgspec.Struct, frozen=True):
    """A picture of a plan.

    Attributes
    ----------
    table, file : str
        Of which table it is, and how its file is called.
    title, caption : str
    data : BareTable
        The numbers that are drawn.
    content : bytes
        The file.
    notes : tuple of str
        What could not be drawn.
    """

    table: str
    file: str
    title: str
    caption: str
    data: BareTable
    content: bytes
    notes: tuple[str, ...] = ()


def check_picture(request: PictureRequest) -> None:
    """Raise a ParameterError unless a picture of a plan has a file of a kind that can be written, and what it needs.

    >>> check_picture(PictureRequest(kind="histogram", x="mites", file="../mites.svg"))
    Traceback (most recent call last):
      ...
    comb.errors.ParameterError: expected a plain name for the file of a picture, got '../mites.svg'
      it is written to the dataset folder: for instance histogram.svg
    """
    example = f"{request.kind}.svg"
    if not request.file or request.file.startswith((".", "~")) or set('/\\:*?"<>|').intersection(request.file):
        raise ParameterError(
            f"expected a plain name for the file of a picture, got {request.file!r}",
            remedy=f"it is written to the dataset folder: for instance {example}",
        )
    if request.file.rpartition(".")[2].lower() not in FORMATS:
        raise ParameterError(
            f"a picture cannot be written to {request.file!r}",
            remedy=f"name a file that ends in {listing([f'.{one}' for one in FORMATS])}",
        )
    request.check()


def draw_pictures(plan: PlanText, tables: Mapping[str, BareTable]) -> list[DrawnPicture]:
    """Draw all pictures of a plan.

    Parameters
    ----------
    plan : PlanText
    tables : mapping of str to BareTable
        After all steps.

    Raises
    ------
    CombError
        For the first that cannot be drawn, with its place in the plan.
    """
    drawn = []
    for name, planned in plan.tables.items():
        for number, request in enumerate(planned.pictures, 1):
            try:
                drawing = drawing_of(tables[name], request)
                content, notes = render(drawing, request.file.rpartition(".")[2].lower())
            except CombError as error:
                error.where = _place(plan, planned, number)
                raise
            drawn.append(
                DrawnPicture(name, request.file, drawing.title, drawing.caption, drawing.data, content, tuple(notes))
            )
    return drawn


def _place(plan: PlanText, planned: TablePlan, number: int) -> str:
    line = f", line {planned.picture_lines[number - 1]}" if planned.picture_lines else ""
    return f"{plan.name}{line}, picture {number}"
