"""What kind of value each part of a description has, by CSV on the Web; only the parts Comb reads. Pure."""

from typing import Annotated, Any, TypedDict

import msgspec

from comb.errors import ContentError

WITHOUT_IT = "repair it, or read the file without it: schema='', or --schema ''"

_Count = Annotated[int, msgspec.Meta(ge=0)]
_Words = str | list[str]


class _NumberForm(TypedDict, total=False):
    pattern: str | None
    decimalChar: str | None
    groupChar: str | None


_Bound = str | int | float


class _Datatype(TypedDict, total=False):
    base: str
    format: str | _NumberForm | None
    length: _Count
    minLength: _Count
    maxLength: _Count
    minimum: _Bound
    maximum: _Bound
    minInclusive: _Bound
    maxInclusive: _Bound
    minExclusive: _Bound
    maxExclusive: _Bound  # fmt: skip


class _Inherited(TypedDict, total=False):
    null: _Words
    default: str | None
    separator: str | None
    required: bool
    datatype: str | _Datatype
    lang: str  # fmt: skip


class _Column(_Inherited, total=False):
    name: str
    titles: str | list[str] | dict[str, _Words]
    virtual: bool


class _Reference(TypedDict, total=False):
    resource: str
    columnReference: _Words


class _ForeignKey(TypedDict, total=False):
    columnReference: _Words
    reference: _Reference


class _TableSchema(_Inherited, total=False):
    columns: list[_Column]
    primaryKey: _Words
    foreignKeys: list[_ForeignKey]


class _Dialect(TypedDict, total=False):
    delimiter: str
    quoteChar: str | None
    doubleQuote: bool
    encoding: str
    skipRows: _Count
    headerRowCount: _Count
    header: bool


class _Table(TypedDict, total=False):
    url: str
    null: _Words
    dialect: _Dialect | None
    tableSchema: _TableSchema


def check_shape(record: dict[str, Any], name: str) -> None:
    """Raise a ContentError for the first part of a table's description that is of the wrong kind, naming it.

    >>> check_shape({"tableSchema": {"columns": [{"required": 7}]}}, "x.json")
    Traceback (most recent call last):
        ...
    comb.errors.ContentError: x.json: Expected `bool`, got `int` - at `$.tableSchema.columns[0].required`
      repair it, or read the file without it: schema='', or --schema ''
    """
    try:
        msgspec.convert(record, _Table)
    except (msgspec.ValidationError, RecursionError) as error:
        raise ContentError(str(error), where=name, remedy=WITHOUT_IT) from None
