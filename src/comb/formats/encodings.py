"""Which names of encodings are of texts. Pure."""

import codecs

# Python knows these as encodings of text, but they are of names in the web's addresses, of programs, or of nothing.
_NOT_OF_FILES = frozenset({"idna", "punycode", "undefined", "mbcs", "oem"})


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
