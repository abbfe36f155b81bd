"""Tell by its beginning what a source is, whatever its name says."""

import re

from comb.formats.lazy_pattern import lazy_pattern

# The first bytes of a zip archive, and so of most workbooks.
ZIP_START = b"PK\x03\x04"

# The first bytes of workbooks in the older binary form, and of other compound documents.
BINARY_START = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"

# The first bytes of an SQLite database, of a Parquet file, and of Arrow data in a file or a stream.
SQLITE_START = b"SQLite format 3\0"
PARQUET_START = b"PAR1"
ARROW_START = b"ARROW1\0\0"
ARROW_STREAM_START = b"\xff\xff\xff\xff"

# What begins a source that brings its types.
TYPED_STARTS = (SQLITE_START, PARQUET_START, ARROW_START, ARROW_STREAM_START)


def looks_like_page(text: str) -> bool:
    """Return whether a text is a page with a table in it.

    >>> looks_like_page("<html><body><table><tr><td>1</td></tr></table>")
    True
    """
    start = text.lstrip("\ufeff \r\n\t")[:1000].lower()
    return start.startswith(("<!doctype html", "<html", "<table", "<head", "<meta", "<style")) and "<t" in text.lower()


# A call or a name that is given a value, as scripts that hand out data begin; and comments.
_AROUND = lazy_pattern(
    r"\ufeff?(?>[ \t\r\n]+|//[^\n]*\n|/\*.*?\*/)*+"
    r"(?:(?:export\s+default|(?:var|let|const)\s+[\w$]+\s*=|[A-Za-z_$][\w$.]*(?:\[[\"'][^\"'\n]*[\"']\])?\s*[=(])\s*)?(?=[{\[])",
    re.DOTALL,
)


def before_json(start: str) -> int:
    r"""Return how many characters of a call, an assignment or comments stand before a JSON document; 0 if none do.

    >>> before_json('loaded([{"id": 1}]);'), before_json('// by hand\n[{"id": 1}]'), before_json("a,b\n1,2")
    (7, 11, 0)
    """
    found = _AROUND.match(start[:LONGEST_AROUND])
    if found is None or not found[0].strip("\ufeff \t\r\n"):
        return 0
    return found.end() if looks_like_json(start[found.end() :].rstrip().rstrip(";").rstrip(")")) else 0


# More than this before a document is another text.
LONGEST_AROUND = 2_000


def looks_like_json(start: str) -> bool:
    """Return whether a text begins as JSON does.

    >>> looks_like_json('{"colony": "0101"}'), looks_like_json("[1] Mill Brook;3"), looks_like_json("colony,mites")
    (True, False, False)
    """
    text = start.lstrip("\ufeff \t\r\n")
    if not text.startswith(("{", "[")):
        return False
    import json

    try:
        json.JSONDecoder(strict=False).raw_decode(text)
    except json.JSONDecodeError as error:
        # A broken document is one still, if something of it was sound.
        following = text[1:].lstrip()[:1]
        return (
            error.pos > 1 and following in ('"', "{", "[") and (text[0] == "[" or '":' in text.replace(" ", "")[:200])
        )
    except RecursionError:
        return True
    first, _, rest = text.partition("\n")
    return text.startswith("{") or bool(rest.strip()) or first.rstrip().endswith("]")
