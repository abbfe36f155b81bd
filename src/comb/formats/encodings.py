"""Which names of encodings are of texts. Pure."""

import codecs

# Python knows these as encodings of text, but they are of names in the web's addresses, of programs, or of nothing.
_NOT_OF_FILES = frozenset({"idna", "punycode", "undefined", "mbcs", "oem"})


# Between the names of two encodings in one file: what is not UTF-8 is in the second.
BOTH = "+"


def second_codec(encoding: str) -> str:
    """Return the codec of what is not UTF-8, where a file is in two encodings; empty for any other name.

    >>> second_codec("utf-8+windows-1252"), second_codec("windows-1252"), second_codec("utf-8+utf-16")
    ('cp1252', '', '')
    """
    first, _, second = encoding.partition(BOTH)
    if codec_name(first.strip()) != "utf-8" or not second:
        return ""
    codec = codec_name(second.strip())
    # A byte beyond ASCII has to be a character by itself.
    return codec if codec and not codec.startswith("utf") and len("é".encode(codec, "replace")) == 1 else ""


def codec_name(encoding: str) -> str:
    """Return the codec that an encoding of files is known by; empty if nothing has this name.

    >>> codec_name("UTF8"), codec_name("punycode"), codec_name("no such")
    ('utf-8', '', '')
    """
    try:
        codec = codecs.lookup(encoding)
    except (LookupError, ValueError):
        return ""
    name = codec.name
    return "" if not getattr(codec, "_is_text_encoding", True) or name.replace("_", "-") in _NOT_OF_FILES else name
