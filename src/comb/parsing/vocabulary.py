"""Words that mean missing, and pairs of words that mean yes and no.

Tables read by the code; extend them by a line.
"""

from collections.abc import Collection

from comb.kernels.scalars import fold
from comb.kernels.types import Words

# Compared without regard to the case of ASCII letters. Languages: English, German, French, Spanish.
MISSING_WORDS = frozenset({
    "-", "--", "---", ".", "?", "??",
    "n/a", "na", "n.a.", "#n/a", "nan", "null", "none", "nil", "missing", "not available",
    "not applicable", "unknown", "not recorded", "not counted",
    "k.a.", "k. a.", "keine angabe", "unbekannt", "fehlt",
    "n.d.", "nd", "inconnu", "manquant",
    "s/d", "sin dato", "desconocido",
})  # fmt: skip

# Of these, words that in a column of texts are answers as often: "None" to what one is allergic to, ND for "not
# detected" or for a state, a parcel that is missing.
ANSWERS = frozenset({"none", "nil", "nd", "n.d.", "missing", "manquant", "fehlt"})

# Letters that mean missing, unless all others in the column are codes of the same length.
SHORT_WORDS = frozenset({"na", "nd", "nil", "nan"})

# Marks that mean missing, unless the mark that stands for the opposite occurs too.
MARKS_AND_OPPOSITES = {"-": "+", "--": "++", "---": "+++"}

BOOLEAN_PAIRS = (
    ("true", "false"), ("t", "f"), ("yes", "no"), ("y", "n"),
    ("wahr", "falsch"), ("ja", "nein"), ("j", "n"),
    ("vrai", "faux"), ("oui", "non"),
    ("verdadero", "falso"), ("sí", "no"), ("sÍ", "no"), ("si", "no"),
)  # fmt: skip
BOOLEAN_WORDS = tuple(dict.fromkeys(word for pair in BOOLEAN_PAIRS for word in pair))

# Numbers people type for "not known"; proposed by a profile, never applied at load.
STAND_INS = (-9999, -999, -99, -9, -1, 99, 999, 9999, 99999, 999999)
KNOWN_WORDS = tuple(sorted(MISSING_WORDS))


def is_missing_word(text: str) -> bool:
    """Return whether a text is a known word for missing.

    >>> is_missing_word(" N/A ")
    True
    """
    return fold(text.strip()) in MISSING_WORDS


def words_for(missing: Collection[str] | None, *, known: bool = True) -> Words:
    """Return the words that matter in a column.

    Parameters
    ----------
    missing : collection of str, optional
        Words given for missing.
    known : bool
        Whether the known words count too.
    """
    given = {word.strip(): None for word in missing or () if word.strip()}
    return Words(tuple(given), KNOWN_WORDS if known else (), BOOLEAN_WORDS)
