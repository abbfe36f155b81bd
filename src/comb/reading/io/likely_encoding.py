"""The likeliest encoding of bytes that are no UTF-8: single-byte ones and those of East Asia. Pure.

Each encoding is tried, and what it makes of the bytes is judged:

- Of single-byte encodings each character beyond ASCII is looked at with its neighbours. Letters beside letters of the
  same script speak for an encoding; capitals inside of words, signs between letters and control characters against it.
  Signs belong beside numbers, and quotes around words. Where several encodings give letters, it counts whether one
  language has all of them (Latin letters), and how many are the common letters of their alphabet (others).
- The encodings of East Asia give some characters to any bytes that fit. In real texts nearly all are common ones: kana
  and the first level of kanji, the first level of Chinese characters, syllables of Hangul. Other alphabets read so give
  rare ones. Between two that give common ones alone, what the other cannot explain decides: Korean bytes are common
  Chinese too, but Chinese ones are not all Korean.

Guessing libraries get small files wrong; tables are small files, and their words are names.

Sources: the layout of the code pages is that of Python's codecs; the levels of JIS X 0208, GB 2312, Big5 and KS X 1001
are rows of these standards.
"""

import unicodedata
from collections import Counter
from collections.abc import Callable
from functools import lru_cache
from itertools import islice, pairwise
from typing import NamedTuple

from comb.formats.lazy_pattern import lazy_pattern

# Encodings are judged on this many characters beyond ASCII.
JUDGED_CHARACTERS = 4_000

# To score one, fewer of them are enough.
SCORED_CHARACTERS = 800

# Words to show are looked for among this many.
SAMPLED_CHARACTERS = 1_000
SAMPLE_WORDS = 3
MOST_OTHERS = 2

# Characters with their neighbours whose score is remembered.
CACHED = 16_384

# The likeliest first: where two fit equally well, the earlier is taken.
SINGLE_BYTE = (
    "windows-1252", "windows-1254", "windows-1250", "iso-8859-2", "windows-1251", "windows-1253", "windows-1255",
    "windows-1256", "cp874", "koi8-r", "cp866", "cp850", "mac-roman",
)  # fmt: skip

# The letters beyond ASCII of languages that are written in single bytes. Few people write the last one.
_LANGUAGES = (
    "äöüß", "àâæçéèêëîïôœùûüÿ", "áéíóúüñ", "ãõáâàçéêíóôúü", "àèéìíòóù", "åäöæøéü", "çğıiöşüâîû\u0307",
    "áčďéěíňóřšťúůýž", "áäčďéíĺľňóôŕšťúýž", "ąćęłńóśźż", "áéíóöőúüű", "ăâîşţșț", "čćđšž", "áðéíóúýþæö",
)  # fmt: skip
_RARE = 0.9
_WEIGHT_OF_LANGUAGE = 0.5

# The commonest letters of other alphabets make this share of their texts, nearly.
_COMMON = {
    "CYRILLIC": frozenset("оеаинтсрвл"), "GREEK": frozenset("αοιετσνηυράέήίόύώςκμ"),
    "HEBREW": frozenset("יוהלארתבשמ"), "ARABIC": frozenset("اليمنترمبوةد"),
}  # fmt: skip
_USUAL_SHARE = 0.6
_WEIGHT_OF_LETTERS = 0.4
_GREEK_ACCENTS = frozenset("άέήίόύώΐΰϊϋ")

# This many small letters without one accent are not Greek.
_LEAST_LETTERS = 10

# This share of the characters of an East Asian text is common, and at least this number of them.
LEAST_COMMON_SHARE = 0.85
LEAST_COMMON = 3

# This many characters tell Korean from Chinese: of Chinese ones a good half would be Korean, too.
LEAST_KOREAN = 6

# Characters that stand as letters among letters, and signs beside their numbers, score more than this on average.
LEAST_SURE = 0.45

# Nearly every byte is a letter in one or the other encoding: but for the commonest one it takes this many of them.
LEAST_LETTERS = 8

# The last byte is hardly a letter in any language, but what bytes are when something went wrong.
_LAST = b"\xff"
MOST_LAST = 0.1

# The bytes that are looked at first: whole lines from the beginning.
_LOOKED_AT = 60_000

_BEYOND_ASCII = lazy_pattern("[^\x00-\x7f]")
_ODD_LINES = lazy_pattern(rb"[^\r\n]*[\x80-\xff][^\r\n]*[\r\n]*")


class Likely(NamedTuple):
    """An encoding with what it makes of some bytes.

    Attributes
    ----------
    text : str
    encoding, why, runner_up : str
        What else it could be, with sample words.
    """

    text: str
    encoding: str
    why: str
    runner_up: str


class _Trial(NamedTuple):
    score: float
    encoding: str
    text: str


def likeliest(data: bytes) -> Likely:
    """Decode bytes with the encoding that makes the most likely words.

    Cost: each encoding that can be is tried on all of the bytes; those of East Asia on some lines first.

    >>> likeliest("Größe;Fütterung".encode("cp1252")).encoding, likeliest("名前,東京".encode("cp932")).encoding
    ('windows-1252', 'shift_jis')
    """
    trials = [*_east_asian(data), *_single_bytes(data)]
    best = max(trials, key=lambda trial: trial.score)
    next_best = sorted((one for one in trials if one is not best), key=lambda trial: -trial.score)
    others = [f"{one.encoding}: {sample_words(one.text)}" for one in next_best[:MOST_OTHERS]]
    return Likely(best.text, best.encoding, f"no UTF-8; reads {sample_words(best.text)}", "; ".join(others))


def likely_words(data: bytes) -> Likely | None:
    """Decode bytes with a single-byte encoding, where that surely makes words of them; `why` has some of them.

    >>> found = likely_words("José;Málaga".encode("cp1252"))
    >>> found.encoding, found.why, likely_words(b"a \\xff b")
    ('windows-1252', 'José, Málaga', None)
    """
    beyond = sum(byte >= 0x80 for byte in data)
    if data.count(_LAST) > MOST_LAST * beyond or _east_asian(data):
        return None
    trials = sorted(_single_bytes(data), key=lambda trial: -trial.score)
    best = trials[0]
    others = [f"{one.encoding}: {sample_words(one.text)}" for one in trials[1:] if one.text != best.text]
    if best.score < LEAST_SURE or (beyond < LEAST_LETTERS and best.encoding != SINGLE_BYTE[0]):
        return None
    return Likely(best.text, best.encoding, sample_words(best.text), "; ".join(others[:MOST_OTHERS]))


def _single_bytes(data: bytes) -> list[_Trial]:
    trials = []
    for encoding in SINGLE_BYTE:
        try:
            text = data.decode(encoding)
        except UnicodeDecodeError:
            continue
        trials.append(_Trial(_likelihood(text, encoding), encoding, text))
    # Some define every byte, so there always is one.
    return trials


def _likelihood(text: str, encoding: str) -> float:
    """Score how far characters beyond ASCII stand as letters among letters of their script."""
    score, judged = 0.0, 0
    letters: list[str] = []
    for match in islice(_BEYOND_ASCII.finditer(text), SCORED_CHARACTERS):
        at = match.start()
        # A sign may be parted from its number by a space.
        numbered = (
            text[max(0, at - 2) : at].rstrip(" ")[-1:].isdigit() or text[at + 1 : at + 3].lstrip(" ")[:1].isdigit()
        )
        score += _fits_in(text[at - 1 : at] or " ", text[at], text[at + 1 : at + 2] or " ", numbered)
        judged += 1
        if text[at].isalpha():
            letters.append(text[at])
    return round(score / max(1, judged) + _by_letters(Counter("".join(letters).lower())), 3)


def _by_letters(letters: Counter[str]) -> float:
    """Score letters as a whole: whether one language has all of them, or how many are common in their alphabet."""
    scripts: dict[str, Counter[str]] = {}
    for letter, count in letters.items():
        scripts.setdefault(_script(letter), Counter())[letter] = count
    total, score = letters.total(), 0.0
    for script, found in scripts.items():
        weight = found.total() / total
        if script == "LATIN":
            shares = [sum(found[one] for one in language) / found.total() for language in _LANGUAGES]
            score += weight * _WEIGHT_OF_LANGUAGE * (max(*shares[:-1], _RARE * shares[-1]) - 1)
        elif script in _COMMON:
            share = sum(count for letter, count in found.items() if letter in _COMMON[script]) / found.total()
            score += weight * _WEIGHT_OF_LETTERS * (min(share, _USUAL_SHARE) - _USUAL_SHARE)
            if script == "GREEK" and found.total() >= _LEAST_LETTERS and not set(found) & _GREEK_ACCENTS:
                score -= weight * _WEIGHT_OF_LETTERS
    return score


@lru_cache(maxsize=CACHED)
def _fits_in(before: str, character: str, after: str, numbered: bool) -> float:
    """Score one character by its neighbours: letters of one script, in a likely case."""
    category = unicodedata.category(character)
    if category[0] == "M" and _script(before) == _script(character):
        # Vowels and tones above and below letters.
        return 1.0
    letters = [near for near in (before, after) if near.isalpha()]
    if category[0] != "L":
        return -2.0 if category[0] == "C" else _sign_fits(character, category, len(letters), numbered)
    if not letters:
        return 0.0 if numbered else 0.2
    same = sum(_script(near) == _script(character) for near in letters) == len(letters)
    if _script(character) == "LATIN" and not any(map(str.isascii, letters)):
        return 0.2  # accents are rare in Latin words: a run of them is another alphabet
    odd_case = character.isupper() and before.islower()
    return (1.0 if same else -1.0) - (1.0 if odd_case else 0.0)


def _sign_fits(character: str, category: str, letters: int, numbered: bool) -> float:
    """Score a sign: an apostrophe stands inside of words, quotes at their ends, others beside numbers."""
    if letters == 2:
        return 1.0 if character == "\u2019" else -0.5
    if category in ("Pi", "Pf", "Pd"):
        return 0.6
    return 0.5 if numbered and category in ("Sc", "So", "No", "Sm", "Zs") else 0.1 if not letters else -0.2


def _script(character: str) -> str:
    return unicodedata.name(character, "?").partition(" ")[0]


def sample_words(text: str) -> str:
    """Return some words with characters beyond ASCII."""
    words: dict[str, None] = {}
    for match in islice(_BEYOND_ASCII.finditer(text), SAMPLED_CHARACTERS):
        start, end = match.start(), match.end()
        while start and text[start - 1].isalpha() and end - start < 20:
            start -= 1
        while end < len(text) and text[end].isalpha() and end - start < 20:
            end += 1
        words[text[start:end].strip()] = None
        if len(words) >= SAMPLE_WORDS:
            break
    return ", ".join(words)


def _lead(character: str, codec: str) -> int:
    """Return the first of the two bytes of a character; 0 if it has not two of them."""
    try:
        found = character.encode(codec)
    except UnicodeEncodeError:
        return 0
    return found[0] if len(found) == 2 else 0


def _is_kana(character: str) -> bool:
    return "\u3041" <= character <= "\u30ff"


def _common_japanese(character: str) -> bool:
    return _is_kana(character) or 0x88 <= _lead(character, "shift_jis") <= 0x97


def _common_chinese(character: str) -> bool:
    return 0xB0 <= _lead(character, "gb2312") <= 0xD7


def _common_traditional(character: str) -> bool:
    return 0xA4 <= _lead(character, "big5") <= 0xC6 and not _is_kana(character)


def _common_korean(character: str) -> bool:
    return "\uac00" <= character <= "\ud7a3" and 0xB0 <= _lead(character, "euc_kr") <= 0xC8


# The name to give, the codec with all characters of the usual programs, and which are common.
_EAST_ASIAN: tuple[tuple[str, str, Callable[[str], bool]], ...] = (
    ("gb18030", "gb18030", _common_chinese),
    ("shift_jis", "cp932", _common_japanese),
    ("euc_kr", "cp949", _common_korean),
    ("big5", "cp950", _common_traditional),
    ("euc_jp", "euc_jp", _common_japanese),
)


def _east_asian(data: bytes) -> list[_Trial]:
    """Return the encodings of East Asia whose common characters nearly all of the bytes are."""
    some = b"".join(match.group() for match in islice(_ODD_LINES.finditer(data[:_LOOKED_AT]), JUDGED_CHARACTERS))
    # The last line may be cut.
    whole = some if len(data) <= _LOOKED_AT else some[: some.rfind(b"\n") + 1]
    shares: dict[str, tuple[float, int]] = {}
    for name, codec, is_common in _EAST_ASIAN:
        try:
            text = whole.decode(codec)
        except UnicodeDecodeError:
            continue
        # A letter of the Latin alphabet right before shows a letter with an accent, read together with the next one.
        pairs = [(one, before) for before, one in pairwise(f" {text}") if one > "\x7f"]
        judged = [(one, before) for one, before in pairs if unicodedata.category(one)[0] in "LC"]
        common = sum(is_common(one) and not (before.isascii() and before.isalpha()) for one, before in judged)
        if common >= max(LEAST_COMMON, LEAST_COMMON_SHARE * len(judged)):
            shares[name] = common / len(judged), len(judged)
    korean, count = shares.get("euc_kr", (0.0, 0))
    if korean == 1.0 and count >= LEAST_KOREAN:
        shares.pop("gb18030", None)
    trials = []
    for name, codec, _ in _EAST_ASIAN:
        if name in shares:
            try:
                # More than any single-byte encoding is given, which read some letters into everything.
                trials.append(_Trial(1.0 + shares[name][0], codec if codec != "cp932" else name, data.decode(codec)))
            except UnicodeDecodeError:
                continue
    return trials
