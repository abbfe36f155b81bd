"""The names of months and weekdays that dates are read with.

Tables read by the code; a language is added by lines of its own. Months are known apart whatever
the language, since no name means two of them. An abbreviated weekday may mean two days; it
fits if the date is one of them.
"""

from collections.abc import Sequence
from functools import cache

from comb.kernels.scalars import fold
from comb.kernels.types import Names, names_of

# The names of each month in small letters, as Unicode's Common Locale Data Repository (version 44) has them: English,
# German, French, Spanish, Italian, Portuguese, Dutch, Swedish, Danish, Norwegian, Finnish, Polish, Czech, Russian,
# Ukrainian, Turkish, Romanian, Hungarian, Greek; where a language has another form of them in dates, both. What means
# different months in two languages is left out: "listopad" is October in Croatian, which is not among these.
FULL_MONTH_NAMES = (
    "january januar jänner janvier enero gennaio janeiro januari tammikuuta tammikuu stycznia styczeń ledna leden "
    "января январь січня січень ocak ianuarie január ιανουαρίου",
    "february februar feber février fevrier febrero febbraio fevereiro februari helmikuuta helmikuu lutego luty "
    "února únor февраля февраль лютого лютий şubat februarie február φεβρουαρίου",
    "march märz maerz mars marzo março maart marts maaliskuuta maaliskuu marca marzec března březen марта март "
    "березня березень mart martie március μαρτίου",
    "april avril abril aprile huhtikuuta huhtikuu kwietnia kwiecień dubna duben апреля апрель квітня квітень "
    "nisan aprilie április απριλίου",
    "may mai mayo maggio maio mei maj toukokuuta toukokuu maja května květen мая май травня травень mayıs május μαΐου",
    "june juni juin junio giugno junho kesäkuuta kesäkuu czerwca czerwiec června červen июня июнь червня червень "
    "haziran iunie június ιουνίου",
    "july juli juillet julio luglio julho heinäkuuta heinäkuu lipca lipiec července červenec июля июль липня "
    "липень temmuz iulie július ιουλίου",
    "august août aout agosto augustus augusti elokuuta elokuu sierpnia sierpień srpna srpen августа август серпня "
    "серпень ağustos augusztus αυγούστου",
    "september septembre septiembre setiembre settembre setembro syyskuuta syyskuu września wrzesień září "
    "сентября сентябрь вересня вересень eylül septembrie szeptember σεπτεμβρίου",
    "october oktober octobre octubre ottobre outubro lokakuuta lokakuu października październik října říjen "
    "октября октябрь жовтня жовтень ekim octombrie október οκτωβρίου",
    "november novembre noviembre novembro marraskuuta marraskuu listopada listopad listopadu ноября ноябрь "
    "листопада листопад kasım noiembrie νοεμβρίου",
    "december dezember décembre decembre diciembre dicembre dezembro desember joulukuuta joulukuu grudnia "
    "grudzień prosince prosinec декабря декабрь грудня грудень aralık decembrie δεκεμβρίου",
)

# And how they are shortened.
SHORT_MONTH_NAMES = (
    "jan jän janv ene gen sty янв",
    "feb févr fév fev фев",
    "mar mrz mär mrt",
    "apr avr abr kwi апр",
    "mag",
    "jun giu cze июн",
    "jul lug juil lip июл",
    "aug aoû ago авг sie",
    "sep sept set сен wrz",
    "okt oct ott out paź окт",
    "nov ноя",
    "dec dez dic déc des gru дек",
)

MONTH_NAMES = tuple(f"{full} {short}" for full, short in zip(FULL_MONTH_NAMES, SHORT_MONTH_NAMES, strict=True))

# From Monday to Sunday.
WEEKDAY_NAMES = (
    "monday mon montag mo lundi lun lunes lu",
    "tuesday tue tues dienstag di die mardi mar martes ma",
    "wednesday wed mittwoch mi mit mercredi mer miércoles mié miercoles me",
    "thursday thu thur thurs donnerstag do don jeudi jeu jueves jue ju je",
    "friday fri freitag fr fre vendredi ven viernes vie vi ve",
    "saturday sat samstag sa sam sonnabend samedi sábado sáb sabado sá",
    "sunday sun sonntag so son dimanche dim domingo dom do",
)

# Names that are not abbreviated.
FULL_NAMES = frozenset(name for names in FULL_MONTH_NAMES for name in names.split())


def _cased(table: dict[str, int]) -> dict[str, int]:
    """Add names whose letters beyond ASCII are capitals, all of them or the first: those are compared as they are."""
    beyond = {name: value for name, value in table.items() if not name.isascii()}
    capital = {fold(name.upper()): value for name, value in beyond.items()}
    title = {fold(name[:1].upper() + name[1:]): value for name, value in beyond.items()}
    return {**table, **capital, **title}


def _months() -> dict[str, int]:
    return {name: number for number, names in enumerate(MONTH_NAMES, 1) for name in names.split()}


def _weekdays() -> dict[str, int]:
    table: dict[str, int] = {}
    for day, names in enumerate(WEEKDAY_NAMES):
        for name in names.split():
            table[name] = table.get(name, 0) | 1 << day
    return table


# Fewer names may be something else: May is a person, too.
LEAST_NAMES = 3

MONTH_NUMBERS = _cased(_months())
WEEKDAY_BITS = _cased(_weekdays())


@cache
def months() -> Names:
    """Return the names of months, with their numbers, as kernels take them."""
    return names_of(MONTH_NUMBERS)


@cache
def weekdays() -> Names:
    """Return the names of weekdays, with the days they mean as bits, as kernels take them."""
    return names_of(WEEKDAY_BITS)


def calendar_places(texts: Sequence[str]) -> list[int] | None:
    """Return the places of texts in the year or the week, if all of them are months, or all are days of the week.

    >>> calendar_places(["May", "April", "June"]), calendar_places(["Tue", "Sun", "Fri"])
    ([5, 4, 6], [1, 6, 4])
    >>> calendar_places(["May", "Elm", "June"])
    """
    words = [text.strip().lower() for text in texts]
    if len(set(words)) < LEAST_NAMES:
        return None
    if all(word in MONTH_NUMBERS for word in words):
        return [MONTH_NUMBERS[word] for word in words]
    bits = [WEEKDAY_BITS.get(word, 0) for word in words]
    # A name that is of two days, in two languages, gives no order.
    return [bit.bit_length() - 1 for bit in bits] if all(bit.bit_count() == 1 for bit in bits) else None
