"""Tables as a spreadsheet of OpenDocument 1.2. Pure: tables in, bytes out."""

import html
import io
import re
import zipfile
from collections.abc import Iterator, Sequence

import numpy as np

from comb.errors import ParameterError
from comb.formats.a1 import column_letters
from comb.formats.lazy_pattern import lazy_pattern
from comb.tables.column import Column
from comb.tables.text import Text
from comb.tables.value_texts import value_texts
from comb.writing.sheets import SheetText, width_of

MIMETYPE = "application/vnd.oasis.opendocument.spreadsheet"
_SCHEMAS = "urn:oasis:names:tc:opendocument:xmlns:"
_NAMES = {
    "office": "office:1.0", "table": "table:1.0", "text": "text:1.0", "style": "style:1.0",
    "fo": "xsl-fo-compatible:1.0", "number": "datastyle:1.0", "config": "config:1.0",
}  # fmt: skip
_DECLARED = " ".join(f'xmlns:{name}="{_SCHEMAS}{end}"' for name, end in _NAMES.items()) + ' office:version="1.2"'
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'

# Characters that XML cannot hold, and spaces that it would fold.
_CONTROLS = lazy_pattern(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_SPACES = lazy_pattern(r"^ | $|  +|\t")

# Width of a character in centimetres, near enough.
CENTIMETRES = 0.22
ROWS_AT_ONCE = 10_000


def opendocument_bytes(sheets: Sequence[SheetText]) -> bytes:
    """Write sheets as ``.ods``: values with their types, the header in sight and filterable.

    Raises
    ------
    ParameterError
        If a text has a character that such a file cannot hold, naming its cell.
    """
    for sheet in sheets:
        for name, column in sheet.table.columns.items():
            _check_characters(sheet, name, column)
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        _add(archive, "mimetype", MIMETYPE, zipfile.ZIP_STORED)
        _add(archive, "META-INF/manifest.xml", _manifest())
        _add(archive, "settings.xml", _settings(sheets))
        with archive.open(_member("content.xml", zipfile.ZIP_DEFLATED), "w", force_zip64=True) as content:
            for part in _content(sheets):
                content.write(part.encode())
    return stream.getvalue()


def _check_characters(sheet: SheetText, name: str, column: Column) -> None:
    wrong = np.zeros(0, np.int64)
    if isinstance(column.values, Text):
        wrong = np.flatnonzero(column.values.flags(lambda text: _CONTROLS.search(text) is not None) & column.present)
    if len(wrong) or _CONTROLS.search(name):
        where = f"row {int(sheet.table.row_numbers[wrong[0]])} of {name!r}" if len(wrong) else f"the name {name!r}"
        raise ParameterError(
            f"{where} has a control character, which OpenDocument cannot hold ({len(wrong):,} such cells)",
            remedy="save it as .csv or .xlsx",
        )


def _member(name: str, packing: int) -> zipfile.ZipInfo:
    # Without the time, the same tables give the same bytes.
    made = zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0))
    made.compress_type = packing
    return made


def _add(archive: zipfile.ZipFile, name: str, text: str, packing: int = zipfile.ZIP_DEFLATED) -> None:
    archive.writestr(_member(name, packing), text)


def _manifest() -> str:
    kinds = {"/": MIMETYPE, "content.xml": "text/xml", "settings.xml": "text/xml"}
    entries = "".join(
        f'<manifest:file-entry manifest:full-path="{path}" manifest:media-type="{kind}"/>'
        for path, kind in kinds.items()
    )
    address = "urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"
    return f'{_HEAD}<manifest:manifest xmlns:manifest="{address}" manifest:version="1.2">{entries}</manifest:manifest>'


def _settings(sheets: Sequence[SheetText]) -> str:
    """Keep the header of each sheet in sight."""

    def item(name: str, kind: str, value: object) -> str:
        return f'<config:config-item config:name="{name}" config:type="{kind}">{value}</config:config-item>'

    frozen = item("VerticalSplitMode", "short", 2) + item("VerticalSplitPosition", "int", 1)
    frozen += item("ActiveSplitRange", "short", 2) + item("PositionBottom", "int", 1)
    tables = "".join(
        f"<config:config-item-map-entry config:name={_quoted(sheet.name)}>{frozen}</config:config-item-map-entry>"
        for sheet in sheets
    )
    return (
        f"{_HEAD}<office:document-settings {_DECLARED}><office:settings>"
        '<config:config-item-set config:name="ooo:view-settings">'
        f'<config:config-item-map-indexed config:name="Views"><config:config-item-map-entry>'
        f'<config:config-item-map-named config:name="Tables">{tables}</config:config-item-map-named>'
        "</config:config-item-map-entry></config:config-item-map-indexed></config:config-item-set></office:settings>"
        "</office:document-settings>"
    )


def _content(sheets: Sequence[SheetText]) -> Iterator[str]:
    columns = [column for sheet in sheets for column in sheet.table.columns.values()]
    scales = sorted({column.type.plain.scale for column in columns if column.type.plain.word == "decimal"})
    widths = sorted({width_of(name, column) for sheet in sheets for name, column in sheet.table.columns.items()})
    yield f"{_HEAD}<office:document-content {_DECLARED}><office:automatic-styles>"
    yield '<style:style style:name="head" style:family="table-cell">'
    yield '<style:text-properties fo:font-weight="bold"/></style:style>'
    yield '<number:date-style style:name="iso"><number:year number:style="long"/><number:text>-</number:text>'
    yield '<number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/>'
    yield "</number:date-style>"
    yield '<style:style style:name="date" style:family="table-cell" style:data-style-name="iso"/>'
    clock = '<number:hours number:style="long"/><number:text>:</number:text><number:minutes number:style="long"/>'
    clock += '<number:text>:</number:text><number:seconds number:style="long"/>'
    yield '<number:date-style style:name="isomoment"><number:year number:style="long"/><number:text>-</number:text>'
    yield '<number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/>'
    yield f"<number:text> </number:text>{clock}</number:date-style>"
    yield '<style:style style:name="moment" style:family="table-cell" style:data-style-name="isomoment"/>'
    for style, about in (("clock", ""), ("span", ' number:truncate-on-overflow="false"')):
        yield f'<number:time-style style:name="{style}style"{about}>{clock}</number:time-style>'
        yield f'<style:style style:name="{style}" style:family="table-cell" style:data-style-name="{style}style"/>'
    for scale in scales:
        places = f'number:decimal-places="{scale}" number:min-decimal-places="{scale}" number:min-integer-digits="1"'
        yield f'<number:number-style style:name="digits{scale}"><number:number {places}/></number:number-style>'
        yield f'<style:style style:name="decimal{scale}" style:family="table-cell"'
        yield f' style:data-style-name="digits{scale}"/>'
    for width in widths:
        yield f'<style:style style:name="width{width}" style:family="table-column">'
        yield f'<style:table-column-properties style:column-width="{width * CENTIMETRES:.2f}cm"/></style:style>'
    yield "</office:automatic-styles><office:body><office:spreadsheet>"
    for sheet in sheets:
        yield from _sheet(sheet)
    yield "<table:database-ranges>" + "".join(map(_filter, range(len(sheets)), sheets)) + "</table:database-ranges>"
    yield "</office:spreadsheet></office:body></office:document-content>"


def _filter(number: int, sheet: SheetText) -> str:
    if not sheet.table.names:
        return ""
    quoted = "'" + sheet.name.replace("'", "''") + "'"
    last = column_letters(len(sheet.table.names) - 1)
    area = _quoted(f"{quoted}.A1:{quoted}.{last}{sheet.table.row_count + 1}")
    about = f'table:name="filter{number}" table:target-range-address={area} table:display-filter-buttons="true"'
    return f"<table:database-range {about}/>"


def _quoted(text: str) -> str:
    return f'"{html.escape(text)}"'


def _sheet(sheet: SheetText) -> Iterator[str]:
    columns = sheet.table.columns
    yield f"<table:table table:name={_quoted(sheet.name)}>"
    for name, column in columns.items():
        yield f'<table:table-column table:style-name="width{width_of(name, column)}"/>'
    bold = 'table:style-name="head" office:value-type="string"'
    heads = "".join(_element(bold, _paragraphs(name)) for name in columns)
    yield f"<table:table-header-rows><table:table-row>{heads}</table:table-row></table:table-header-rows>"
    for start in range(0, sheet.table.row_count, ROWS_AT_ONCE):
        parts = [_cells(column._part(start, start + ROWS_AT_ONCE)) for column in columns.values()]
        for row in zip(*parts, strict=True):
            yield f"<table:table-row>{''.join(row)}</table:table-row>"
    yield "</table:table>"


def _element(about: str, content: str) -> str:
    return f"<table:table-cell {about}>{content}</table:table-cell>"


def _cells(column: Column) -> list[str]:
    """Return the cells of a column as XML."""
    if isinstance(column.values, Text):
        items = [_element('office:value-type="string"', _paragraphs(text)) for text in column.values.items()]
        codes = column.values.codes
        cells = items if codes is None else [items[code] for code in codes.tolist()]
    else:
        word = column.type.plain.word
        kind, given = _VALUE_TYPES.get(word, ("float", "value"))
        style = {**_STYLES, "decimal": f"decimal{column.type.plain.scale}"}.get(word, "")
        about = f'table:style-name="{style}" ' if style else ""
        cells = [
            _element(f'{about}office:value-type="{kind}" office:{given}="{text}"', f"<text:p>{text}</text:p>")
            for text in _values(column)
        ]
    for at in column.missing.nonzero()[0].tolist():
        cells[at] = "<table:table-cell/>"
    return cells


_VALUE_TYPES = {
    "boolean": ("boolean", "boolean-value"), "date": ("date", "date-value"), "datetime": ("date", "date-value"),
    "time": ("time", "time-value"), "duration": ("time", "time-value"),
}  # fmt: skip
_STYLES = {"date": "date", "datetime": "moment", "time": "clock", "duration": "span"}


def _values(column: Column) -> list[str]:
    """Return values as the standard writes them: times are durations too."""
    kind = column.type.plain
    if kind.word in ("time", "duration"):
        return [_span_text(micro) for micro in column.array.astype(np.int64).tolist()]
    texts = value_texts(kind, column.array)
    return [text.removesuffix("Z") for text in texts] if kind.utc else texts


def _span_text(micro: int) -> str:
    """Write a duration in hours, minutes and seconds, as spreadsheet programs do."""
    seconds, fraction = divmod(micro, 1_000_000)
    tail = f".{fraction:06}".rstrip("0") if fraction else ""
    return f"PT{seconds // 3600:02}H{seconds // 60 % 60:02}M{seconds % 60:02}{tail}S"


def _paragraphs(text: str) -> str:
    """Write a text so that its spaces and line ends come back."""
    # As a reference, or XML would make a line end of it.
    lines = html.escape(text, quote=False).replace("\r", "&#13;").split("\n")
    return "".join(f"<text:p>{_SPACES.sub(_kept_space, line)}</text:p>" for line in lines)


def _kept_space(match: re.Match[str]) -> str:
    return "<text:tab/>" if match[0] == "\t" else f'<text:s text:c="{len(match[0])}"/>'
