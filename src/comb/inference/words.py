"""Words that stand for missing, and pairs of words that mean yes and no.

Tables read by the code; extend them by a line.
"""

# Compared without regard to case. Languages: English, German, French, Spanish.
MISSING_WORDS = frozenset({
    "-", "--", "---", ".", "?", "??",
    "n/a", "na", "n.a.", "#n/a", "nan", "null", "none", "nil", "missing", "not available",
    "not applicable", "unknown", "not recorded", "not counted",
    "k.a.", "k. a.", "keine angabe", "unbekannt", "fehlt",
    "n.d.", "nd", "inconnu", "manquant",
    "s/d", "sin dato", "desconocido",
})  # fmt: skip

BOOLEAN_PAIRS = (
    ("true", "false"), ("t", "f"), ("yes", "no"), ("y", "n"),
    ("wahr", "falsch"), ("ja", "nein"), ("j", "n"),
    ("vrai", "faux"), ("oui", "non"),
    ("verdadero", "falso"), ("sí", "no"), ("si", "no"),
)  # fmt: skip

# Numbers people type for "not known"; proposed by a profile, never applied at load.
SENTINELS = (-9999, -999, -99, -9, -1, 99, 999, 9999, 99999, 999999)


def is_missing_word(text: str) -> bool:
    """Return whether a text is a known word for missing.

    >>> is_missing_word(" N/A ")
    True
    """
    return text.strip().casefold() in MISSING_WORDS
