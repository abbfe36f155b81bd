"""What the heading of a column says of it: its words, and what words say of the values below them."""

import re

from comb.formats.lazy_pattern import lazy_pattern

_WORD = lazy_pattern(r"[^\W\d_]+")


def words(text: str) -> frozenset[str]:
    """Return the words of a text."""
    return frozenset(text.split())


# What a heading says of the nature of the values below it. None of these proves anything: the values have to agree.
SIGNED_WORDS = words(
    "floor storey story level etage temp temperature celsius fahrenheit balance change delta diff difference "
    "net profit loss margin elevation altitude lat latitude lon lng longitude offset shift score growth "
    "return returns gain trend anomaly deviation residual correction adjustment amount transfer flow charge "
    "coordinate"
)
COUNT_WORDS = words(
    "count counts number num no n nr qty quantity children child persons people members rooms months visits "
    "pieces units items copies pages seats visitors tickets passengers boxes bottles eggs litter heads "
    "sessions days nights beds floors steps frames parts orders sold stock anzahl stück nombre cantidad"
)
NEVER_NEGATIVE_WORDS = COUNT_WORDS | words(
    "age weight height length width depth size area volume mass distance duration speed population price cost "
    "wage salary dose rain rainfall precipitation humidity concentration kg g mg t cm mm m km l ml minutes "
    "hours seconds years mileage capacity power energy load attempts points capacity minutes loans hours kwh"
)
SHARE_WORDS = words(
    "percent percentage pct share proportion humidity ratio coverage completion prozent anteil occupancy fill"
)
YEAR_WORDS = words(
    "year years yr yyyy jahr jahrgang année annee año ano season vintage built founded published born "
    "birthyear established edition publication construction acquired opened planted installed made birth "
    "since model"
)
PLANNED_WORDS = words(
    "due expiry expires expiration expected planned plan scheduled next until deadline valid end ends renewal "
    "target forecast estimated best before warranty maturity review reminder appointment booking booked "
    "reserved event"
)
ROW_WORDS = words("row rows index idx line record no nr number num pos position seq sequence counter lfd zeile n")
MONEY_WORDS = words("amount price total sum eur usd value balance payment credit sales revenue cents refund tax")
OFTEN_NOTHING = MONEY_WORDS | words(
    "bonus fee fees fine fines discount tip surcharge premium deposit debt loan rebate commission income wage salary "
    "children rain rainfall precipitation snow delay sunshine overtime"
)
CODE_WORDS = words(
    "zip plz postcode postal post code id phone telephone isbn barcode ean gtin account konto card serial personal "
    "article"
)
KEY_WORDS = words(
    "id key no nr number num ref reference receipt ticket uuid guid isbn serial tag invoice visit loan kennung"
)
LABEL_WORDS = words(
    "code class type kind category status state grade group level klasse typ tipo sex gender region sector "
    "department dept branch zone area district marital education ethnicity species treatment arm race "
    "religion occupation industry stratum diagnosis material soil breed variety method mode channel cluster "
    "route country language team colour color priority section source origin outcome result site ward shelf "
    "genre section phase"
)


def words_of(name: str) -> set[str]:
    """Return the words in the name of a column, in lower case.

    >>> sorted(words_of("grossWeight_kg"))
    ['gross', 'kg', 'weight']
    """
    return set(_WORD.findall(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).casefold()))
