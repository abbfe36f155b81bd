"""The names of months and weekdays that dates are read with.

Tables read by the code; a language is added by lines of its own. Months are known apart whatever
the language, since no name means two of them. An abbreviated weekday may mean two days; it
fits if the date is one of them.
"""

from comb.kernels.types import Names, names_of

# English, German, French, Spanish; each month with all its names, in small letters.
MONTH_NAMES = (
    "january jan januar jänner jän janvier janv enero ene",
    "february feb februar feber février févr fév fevrier febrero",
    "march mar märz mär mrz maerz mars marzo",
    "april apr avril avr abril abr",
    "may mai mayo",
    "june jun juni juin junio",
    "july jul juli juillet juil julio",
    "august aug août aoû aout agosto ago",
    "september sept sep septembre septiembre set setiembre",
    "october oct oktober okt octobre octubre",
    "november nov novembre noviembre",
    "december dec dezember dez décembre déc decembre diciembre dic",
)

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
FULL_NAMES = frozenset({
    "january", "januar", "jänner", "janvier", "enero", "february", "februar", "feber", "février", "fevrier", "febrero",
    "march", "märz", "maerz", "mars", "marzo", "april", "avril", "abril", "may", "mai", "mayo",
    "june", "juni", "juin", "junio", "july", "juli", "juillet", "julio", "august", "août", "aout", "agosto",
    "september", "septembre", "septiembre", "setiembre", "october", "oktober", "octobre", "octubre",
    "november", "novembre", "noviembre", "december", "dezember", "décembre", "decembre", "diciembre",
})  # fmt: skip


def _cased(table: dict[str, int]) -> dict[str, int]:
    """Add names whose letters beyond ASCII are capitals: those are compared as they are."""
    capital = {name.translate(_CAPITALS): value for name, value in table.items()}
    return {**table, **capital}


_CAPITALS = str.maketrans("äáéíóúûü", "ÄÁÉÍÓÚÛÜ")


def _months() -> dict[str, int]:
    return {name: number for number, names in enumerate(MONTH_NAMES, 1) for name in names.split()}


def _weekdays() -> dict[str, int]:
    table: dict[str, int] = {}
    for day, names in enumerate(WEEKDAY_NAMES):
        for name in names.split():
            table[name] = table.get(name, 0) | 1 << day
    return table


MONTH_NUMBERS = _cased(_months())
WEEKDAY_BITS = _cased(_weekdays())
MONTHS: Names = names_of(MONTH_NUMBERS)
WEEKDAYS: Names = names_of(WEEKDAY_BITS)
