"""Letters that look the same and are not: written as several characters, or of another script.

A letter with an accent can be one character or two: file names of some systems come with two, what people type with
one. An A may be Latin, Greek or Cyrillic: a keyboard was set to another language. Such texts look equal and are not,
so that groups fall apart and keys do not match.
"""

import re
import unicodedata

from comb.formats.lazy_pattern import lazy_pattern

# A letter and what is put onto it; a syllable of Korean in parts; three signs of units that are letters twice.
_APART = lazy_pattern(
    "[^\\W\\d_][\u0300-\u036f]+|[\u3041-\u30ff][\u3099\u309a]|[\u1100-\u1112][\u1161-\u1175][\u11a8-\u11c2]?"
    "|[\u2126\u212a\u212b]"
)

# Of Greek and Cyrillic letters those that look like a Latin one, and these.
_GREEK = dict(
    zip(
        "\u0391\u0392\u0395\u0396\u0397\u0399\u039a\u039c\u039d\u039f\u03a1\u03a4\u03a5\u03a7\u03bf",
        "ABEZHIKMNOPTYXo",
        strict=True,
    )
)
_CYRILLIC = dict(
    zip(
        "\u0410\u0412\u0415\u041a\u041c\u041d\u041e\u0420\u0421\u0422\u0423\u0425\u0405\u0406\u0408\u0430\u0435\u043e\u0440\u0441\u0443\u0445\u0455\u0456\u0458",
        "ABEKMHOPCTYXSIJaeopcyxsij",
        strict=True,
    )
)
_TO_LATIN = str.maketrans({**_GREEK, **_CYRILLIC})
_TO_CYRILLIC = str.maketrans({latin: letter for letter, latin in _CYRILLIC.items()})

# What word processors and keyboards of other languages write for signs of a plain keyboard; full-width ones are these.
_SIGNS = {
    "-": "\u2010\u2011\u2012\u2013\u2014\u2212", "'": "\u2018\u2019\u201b\u02bc\u2032",
    '"': "\u201c\u201d\u201e\u201f\u2033",
}  # fmt: skip
_TYPED = str.maketrans({
    **{sign: typed for typed, signs in _SIGNS.items() for sign in signs},
    **{chr(code + 0xFEE0): chr(code) for code in range(0x21, 0x7F)}, "\u3000": " ", "\u2026": "...",
})  # fmt: skip

_DOUBLES = lazy_pattern(f"[\\x00-\\x7f{''.join((*_GREEK, *_CYRILLIC))}]*")

# Words in which Latin letters stand beside others.
_LATIN, _OTHER = "A-Za-z\u00c0-\u024f", "\u0370-\u03ff\u0400-\u04ff"
_MIXED = lazy_pattern(f"[{_LATIN}{_OTHER}]*(?:[{_LATIN}][{_OTHER}]|[{_OTHER}][{_LATIN}])[{_LATIN}{_OTHER}]*")
_BOUNDARY = lazy_pattern(f"[{_LATIN}][{_OTHER}]|[{_OTHER}][{_LATIN}]")
_LATIN_LETTER, _GREEK_LETTER = lazy_pattern(f"[{_LATIN}]"), lazy_pattern("[\u0370-\u03ff]")


def composed(text: str) -> str:
    r"""Return a text in which each letter is one character, where there is one.

    It is Unicode's normal form C for what looks the same in both; other texts stay as they are.

    >>> composed("Ho\u0308he") == "H\u00f6he", composed("q\u0308") == "q\u0308"
    (True, True)
    """
    if text.isascii():
        return text
    return _APART.sub(lambda found: unicodedata.normalize("NFC", found[0]), text)


def as_typed(text: str) -> str:
    r"""Return a text with the dashes, quotes and full-width signs as a plain keyboard has them.

    >>> as_typed("Miller\u2019s 5\u201310, \uff21\uff11")
    "Miller's 5-10, A1"
    """
    return text if text.isascii() else text.translate(_TYPED)


def in_latin(text: str) -> str:
    r"""Return a text with Latin letters for those of Greek and Cyrillic that look like them.

    >>> in_latin("\u0410pi")
    'Api'
    """
    return text if text.isascii() else text.translate(_TO_LATIN)


def has_double(text: str) -> bool:
    r"""Return whether a text can be written in Latin letters so that it looks the same.

    >>> has_double("\u0410\u0412\u0421 7"), has_double("\u041e\u0441\u044c")
    (True, False)
    """
    return _DOUBLES.fullmatch(text) is not None


def in_one_script(text: str) -> str:
    r"""Return a text without letters of another script inside its words, where all of them have a double.

    A word becomes Latin where all its other letters have a double; else Cyrillic, where most of its letters are.

    >>> in_one_script("\u0410pi 7"), in_one_script("\u03b1-Wert, \u0394T") == "\u03b1-Wert, \u0394T"
    ('Api 7', True)
    >>> in_one_script("\u041coc\u043a\u0432a") == "\u041c\u043e\u0441\u043a\u0432\u0430"
    True
    """
    # Most texts of another script have no Latin letter at all, which is quickly seen.
    mixed = not text.isascii() and _LATIN_LETTER.search(text) and _BOUNDARY.search(text)
    return _MIXED.sub(_one_script, text) if mixed else text


def _one_script(found: re.Match[str]) -> str:
    word = found[0]
    latin = word.translate(_TO_LATIN)
    if not re.search(f"[{_OTHER}]", latin):
        return latin
    cyrillic = word.translate(_TO_CYRILLIC)
    letters = len(_LATIN_LETTER.findall(word))
    if _LATIN_LETTER.search(cyrillic) or _GREEK_LETTER.search(cyrillic) or 2 * letters > len(word):
        return word
    return cyrillic


def written_out(text: str) -> str:
    r"""Return a text with what looks like other letters written as in Python: else a text would become the same text.

    >>> print(written_out("Ho\u0308he, \u0410pi, \u041e\u0441\u044c"))
    Ho\u0308he, \u0410pi, \u041e\u0441\u044c
    """
    if text.isascii():
        return text
    text = _APART.sub(lambda found: found[0] if composed(found[0]) == found[0] else _escaped(found[0]), text)
    return _MIXED.sub(lambda found: found[0] if _one_script(found) == found[0] else _escaped(found[0]), text)


def _escaped(text: str) -> str:
    return ascii(text)[1:-1]


def looks_like(text: str) -> str:
    r"""Return what texts have in common that look the same.

    >>> looks_like("\u0410u") == looks_like("Au"), looks_like("Ho\u0308he") == looks_like("H\u00f6he")
    (True, True)
    """
    if text.isascii():
        return text
    return unicodedata.normalize("NFC", in_latin(unicodedata.normalize("NFD", text)))
