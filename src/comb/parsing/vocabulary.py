"""Words that mean missing, and pairs of words that mean yes and no.

Tables read by the code; extend them by a line.
"""

from collections.abc import Collection

from comb.kernels.scalars import fold
from comb.kernels.types import Words

# Compared without regard to the case of ASCII letters. Languages: English, German, French, Spanish.
MISSING_WORDS = frozenset({
    "-", "--", "---", "\N{EN DASH}", "\N{EM DASH}", ".", "..", "...", "\N{HORIZONTAL ELLIPSIS}", "?", "??",
    "n/a", "na", "n.a.", "n. a.", "#n/a", "#n/d", "#nv", "<na>", "nan", "null", "(null)", "<null>", "\\n", "(blank)",
    "(empty)", "none", "nil", "missing", "not available", "not applicable",
    "unknown", "not known", "not recorded", "not counted", "no data", "not given", "not stated", "not specified",
    "k.a.", "k. a.", "keine angabe", "unbekannt", "nicht bekannt", "nicht angegeben", "fehlt",
    "n.d.", "nd", "inconnu", "non disponible", "manquant",
    "s/d", "sin dato", "sin datos", "no disponible", "desconocido",
})  # fmt: skip

# Of these, words that in a column of texts are answers as often: "None" to what one is allergic to, ND for "not
# detected" or for a state, a parcel that is missing.
ANSWERS = frozenset({"none", "nil", "nd", "n.d.", "missing", "manquant", "fehlt"})

# Letters that mean missing, unless all others in the column are codes of the same length.
SHORT_WORDS = frozenset({"na", "nd", "nil", "nan"})

# Beside one of these Na is sodium.
SYMBOLS = frozenset({"K", "Ca", "Mg", "Cl", "Li", "Fe", "Cu", "Zn", "Mn", "Al", "Pb", "Cd", "Ni", "K+", "Ca2+", "Cl-"})

# Marks that mean missing, unless the mark that stands for the opposite occurs too.
MARKS_AND_OPPOSITES = {"-": "+", "--": "++", "---": "+++"}

BOOLEAN_PAIRS = (
    ("true", "false"), ("t", "f"), ("yes", "no"), ("y", "n"),
    ("wahr", "falsch"), ("ja", "nein"), ("j", "n"),
    ("vrai", "faux"), ("oui", "non"),
    ("verdadero", "falso"), ("sí", "no"), ("sÍ", "no"), ("si", "no"),
    ("\N{CHECK MARK}", "\N{BALLOT X}"), ("\N{HEAVY CHECK MARK}", "\N{HEAVY BALLOT X}"),
    ("\N{WHITE HEAVY CHECK MARK}", "\N{CROSS MARK}"), ("\N{BALLOT BOX WITH CHECK}", "\N{BALLOT BOX}"),
)  # fmt: skip
BOOLEAN_WORDS = tuple(dict.fromkeys(word for pair in BOOLEAN_PAIRS for word in pair))

# Numbers people type for "not known"; proposed by a profile, never applied at load.
STAND_INS = (
    -999999, -99999, -9999, -999.9, -999, -99.99, -99.9, -99, -9.99, -9.9, -9, -8, -1,
    9.99, 88, 98, 99, 99.9, 99.99, 777, 888, 998, 999, 999.9, 999.99, 7777, 8888, 9998, 9999, 9999.9, 9999.99,
    99999, 99999.9, 99999.99, 999999, 999999.99, 9999999, 99999999, 999999999,
)  # fmt: skip

# And days: the least and the largest that programs know, and those that counts of days begin with.
STAND_IN_DAYS = (
    "0001-01-01", "0001-12-31", "1000-01-01", "1111-11-11", "1582-10-15", "1601-01-01", "1753-01-01", "1800-01-01",
    "1899-12-30", "1899-12-31", "1900-01-01", "1900-01-02", "1901-01-01", "1904-01-01", "1970-01-01", "2099-01-01",
    "2099-12-31", "2100-01-01", "2199-12-31", "2222-02-22", "2999-01-01", "2999-12-31", "3000-01-01", "4712-12-31",
    "9998-12-31", "9999-01-01", "9999-09-09", "9999-12-31",
)  # fmt: skip
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
