"""A report as users hold it: saved as a page or as Markdown, shown in a notebook."""

from html import escape
from pathlib import Path

from comb.errors import ParameterError, counted
from comb.reading.io.source_file import check_path, path_of
from comb.report.page import report_html, report_markdown
from comb.report.parts import ReportParts
from comb.writing.atomic import check_file_free, write_file

# What a report can be written as, by suffix.
FORMATS = (".html", ".htm", ".md")


class Report:
    """A report, to be saved or shown in a notebook.

    Made by `comb.make_report`, `Table.report` and `Outcome.report`, not by hand.

    Attributes
    ----------
    parts : ReportParts
        What it says, as plain values.
    """

    def __init__(self, parts: ReportParts) -> None:
        self.parts = parts

    def __repr__(self) -> str:
        return "\n".join([self.parts.title, *self.parts.answer()])

    @property
    def html(self) -> str:
        """The page: one file, without scripts, that loads nothing."""
        return report_html(self.parts).decode()

    @property
    def markdown(self) -> str:
        """The same as Markdown, without pictures."""
        return report_markdown(self.parts).decode()

    def save(self, path: str | Path, *, overwrite: bool = False) -> None:
        """Save the report: ``.html``, or ``.md`` for Markdown.

        Raises
        ------
        ParameterError
            For another suffix.
        WriteError
            If the file exists, or the system refuses.
        """
        path = path_of(path)
        check_path(path)
        place = Path(path)
        check_report_name(place.name)
        check_file_free(place, overwrite=overwrite)
        content = report_markdown if place.suffix.lower() == ".md" else report_html
        write_file(place, content(self.parts), overwrite=overwrite)

    def _repr_html_(self) -> str:
        frame = 'style="width:100%;height:600px;border:1px solid #bbb" title="report" sandbox=""'
        return f'<iframe {frame} srcdoc="{escape(self.html)}"></iframe>'


def check_report_name(name: str) -> None:
    """Raise a ParameterError unless a report can be written under a name.

    >>> check_report_name("visits.docx")
    Traceback (most recent call last):
      ...
    comb.errors.ParameterError: a report cannot be written to 'visits.docx'
      name a file that ends in .html, or in .md for Markdown
    """
    if Path(name).suffix.lower() not in FORMATS:
        raise ParameterError(
            f"a report cannot be written to {name!r}", remedy="name a file that ends in .html, or in .md for Markdown"
        )


def said_of(report: Report) -> list[str]:
    """Return what is said of a report when it is saved."""
    matters = [f"{severity}: {text}" for severity, text in report.parts.matters()]
    pictures = len(report.parts.pictures)
    return [*report.parts.answer(), *matters, *([f"with {counted(pictures, 'picture')}"] if pictures else [])]
