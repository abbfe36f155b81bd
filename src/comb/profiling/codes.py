"""All kinds of findings: what each says, what it looks at, from where on, what to do about it, and how much it matters.

The one table that is read by the profile (severity, order of repair, how several are reported as one), by the command
line (``--explain``) and by the page on findings. The thresholds in its sentences are the constants that the code
compares with, so that neither can say something else than is done.
"""

from typing import NamedTuple

from msgspec.structs import replace

from comb.errors import ParameterError, unknown_name
from comb.parsing import headings
from comb.profiling import (
    ascending,
    built_texts,
    characters,
    computed,
    delimited_lines,
    duplicates,
    fixed_width,
    keys,
    layout,
    lookups,
    missing,
    missing_patterns,
    moment_pairs,
    multipliers,
    nested,
    number_pairs,
    numbers_with_words,
    one_unit,
    orders,
    ordinals,
    other_parts,
    other_types,
    pairs,
    series,
    shapes,
    sheets,
    spelling,
    stacked_fields,
    texts,
    types,
    unit_columns,
    unit_conversion,
    values,
    whole_columns,
)
from comb.profiling.finding import Finding, Severity


class Code(NamedTuple):
    """A kind of finding.

    Attributes
    ----------
    code : str
    severity : Severity
    says : str
        What it tells of a table.
    looks_at : str
        What is looked at, and from where on it is found.
    example : str
    remedy : str
        What the finding proposes; empty where that is a person's to decide.
    not_for : str
        What looks similar and is no such finding.
    together : str
        How several columns are reported as one, with ``{}`` for their number.
    by_hand : str
        What a person who knows what is right can do, where the values do not say it.
    """

    code: str
    severity: Severity
    says: str
    looks_at: str
    example: str
    remedy: str
    not_for: str
    together: str
    by_hand: str = ""


_NUMBERS, _ROWS, _GROUPS, _UNTIDY = (
    Severity.WRONG_NUMBERS, Severity.LOST_ROWS, Severity.WRONG_GROUPS, Severity.UNTIDY,
)  # fmt: skip


def _share(value: float) -> str:
    return f"{100 * value:g} %"


_ALL = (
    Code(
        "layout.empty_rows",
        _UNTIDY,
        says="rows with nothing in any column",
        looks_at=(
            "all cells of a row, nulls too; rows of delimiters only that were left out when the file was read are "
            "reported too"
        ),
        example="`;;;` between two months",
        remedy="`filter` to the rows with something in them",
        by_hand="those that were left out at reading need nothing more",
        not_for="a row with one cell is a row",
        together="{} parts of the table have empty rows",
    ),
    Code(
        "layout.repeated_header",
        _NUMBERS,
        says="the header again among the rows",
        looks_at=(
            f"rows of which {_share(layout.LEAST_NAMES)} of the cells, at least two, are the names of their "
            "columns; those left out at reading are reported too"
        ),
        example="`visit;apiary;mites` in line 41",
        remedy="`filter` to the other rows, where a column of texts holds its name in no other row",
        by_hand="those that were left out at reading need nothing more; else `filter` by a condition",
        not_for="a single cell that is called like its column",
        together="{} parts of the table repeat the header",
    ),
    Code(
        "layout.other_header",
        _NUMBERS,
        says="the names of the columns again, in another order",
        looks_at=(
            f"rows in which {_share(other_parts.LEAST_SHARE)} of the cells, at least {other_parts.LEAST_CELLS}, "
            "are names of columns, each of another one"
        ),
        example="`mites;visit;apiary` in line 41 below the header `visit;apiary;mites`",
        remedy="",
        by_hand="cut the file above such rows; `comb.load([a, b])` reads the parts as one, by the names of columns",
        not_for="the header again in its own order",
        together="{} parts of the table name the columns in another order",
    ),
    Code(
        "layout.other_delimiter",
        _NUMBERS,
        says="rows that another delimiter parts",
        looks_at=(
            f"rows of too few cells, at least {other_parts.LEAST_SHORT}, that have as many as the others by a comma, "
            "semicolon, tab or bar"
        ),
        example="`b2;2025-05-01;31,5` among lines like `a1,2025-05-01,30.5`",
        remedy="",
        by_hand="put these rows in a file of their own; `comb.load([a, b])` finds out how each is parted",
        not_for="rows that only lack cells at their end",
        together="{} parts of the table have another delimiter",
    ),
    Code(
        "layout.fixed_width",
        _GROUPS,
        says="columns that begin at the same characters of every line, read as one",
        looks_at=(
            f"tables of one column of texts: {fixed_width.CERTAIN_COLUMNS} columns that are parted by spaces in all "
            f"lines, {fixed_width.LEAST_COLUMNS} from {fixed_width.LEAST_LONG} lines on"
        ),
        example="`001  Big lid   5`",
        remedy="`split` by widths",
        not_for="texts without runs of spaces",
        together="{} columns are columns of fixed width",
    ),
    Code(
        "layout.delimited_lines",
        _GROUPS,
        says="lines of delimited text in one column",
        looks_at=(
            f"tables in which only one column has values: {_share(delimited_lines.LEAST_EQUAL)} of them have as many "
            "parts between commas, semicolons, tabs or pipes as its name, or as there are columns; without names "
            f"{delimited_lines.LEAST_PARTS} parts or more"
        ),
        example='`1,"Reed, Ann",2.5` under `id,name,kg`',
        remedy="`split` at the mark; a profile of what comes of it tells which types the parts have",
        not_for="lists and sentences with a space behind each comma",
        together="{} columns have lines of delimited text",
    ),
    Code(
        "layout.totals",
        _NUMBERS,
        says="totals among the rows that they add up",
        looks_at=(
            f"rows labelled as a total, at most {_share(layout.MOST_TOTALS)} of all, in which at least one "
            "column is the sum of the rows above or of the others in its period"
        ),
        example="`Total Mill Brook; ; 812`",
        remedy="`filter` without these labels, where no other row has them",
        by_hand="`filter` or `set_aside` by a condition that only they meet",
        not_for="a shop called Total whose numbers add up to nothing",
        together="{} columns label totals among the rows",
    ),
    Code(
        "layout.heading_rows",
        _NUMBERS,
        says="rows that only head those below them",
        looks_at=(
            f"{sheets.LEAST_HEADINGS} rows or more, {_share(sheets.MOST_HEADINGS)} at most, the first among them, "
            "with a text in one column, always the same, and nothing in the others; all other rows are complete, and "
            "totals, spaces in front, repeated names, several columns, or that chance would not do it, show that these "
            "are groups"
        ),
        example='"Upper river" above its quays',
        remedy="`take_heading_rows`: the text becomes a column of the rows below",
        not_for="rows of which everything but the name is missing, one below the other",
        together="{} columns have rows that head others",
    ),
    Code(
        "text.footnotes",
        _NUMBERS,
        says="numbers with a mark of a footnote",
        looks_at=(
            "texts in columns of numbers, and columns of texts that are all numbers but for asterisks, daggers, raised "
            "digits, or a digit or letter with a bracket behind them; or one or two letters that are no unit, right "
            "behind numbers with decimals"
        ),
        example="`6.8*`, `34 1)`, `2.5J`",
        remedy="`separate_marks`: the marks become a column of their own",
        not_for="codes, grades like A*",
        together="{} columns have marks of footnotes",
    ),
    Code(
        "type.censored",
        _NUMBERS,
        says="numbers that are only a bound, as below a limit of detection",
        looks_at=(
            "`<`, `>`, `<=`, `>=`, `~` before a number, in columns of numbers and columns of texts that are all "
            "numbers but for these; with a unit, where all have the same"
        ),
        example="`<0.1` among concentrations, `<0.05 mg/L`",
        remedy="`separate_marks`: the signs become a column of their own",
        not_for="ranges like 5-10, classes like <20k",
        together="{} columns have numbers that are bounds",
    ),
    Code(
        "type.unreadable",
        _NUMBERS,
        says="cells that do not fit the type of their column",
        looks_at=(
            "texts that could not be read as the type which at least nine in ten of the values have; each is "
            "kept beside the column. A column of which fewer but half could be read stays text"
        ),
        example="`many` among numbers; `1 - Poor` among the numbers of a scale",
        remedy="`convert` of a column that stayed text, which keeps what does not fit; of days among moments and "
        "moments among days, where they can be read one way only; of codes with zeros in front to text; `calculate` "
        "of the numbers of a scale with words; else what is "
        "right the values do not say",
        by_hand="`correct` or `recode` to what is meant; what stays is missing, its text kept",
        not_for="words for missing, numbers with a unit, day counts among dates",
        together="{} columns have cells that do not fit their type",
    ),
    Code(
        "type.units",
        _NUMBERS,
        says="numbers with a unit or a currency that others do not have",
        looks_at=(
            "numbers with letters or a sign behind or before them; a remedy needs "
            f"{unit_conversion.LEAST_WITH_UNIT} values of the size of the others (their medians within a factor of "
            f"{unit_conversion.MOST_APART}), or the unit in the name of the column; a column of units with several for "
            f"one quantity, of which the others are in at most {_share(unit_columns.MOST_OTHER)} of the rows"
        ),
        example="`41,0 kg` among `38,5`; `mg/L` and `ug/L` in a column of units",
        remedy=(
            "`convert` with the unit, where the values show that it is the unit of the others; `calculate` a column in "
            "the commonest unit, where each is a multiple of it by definition (g and kg, min and h, in and cm), or of "
            "shares, where percentages are among them (`45%` among `0.45`); else `calculate` a column of the numbers "
            "and one of their units, which decides nothing (currencies, degrees, credit and debit)"
        ),
        by_hand="`split` the number from its unit, then `calculate` with a factor you know",
        not_for="a column in which every number has the same unit",
        together="{} columns have numbers with different units",
    ),
    Code(
        "type.multipliers",
        _NUMBERS,
        says="numbers with a word for thousands or millions behind them",
        looks_at=(
            f"texts of which {_share(multipliers.LEAST_READ)} are numbers, with `K`, `M`, `bn`, `million`, `Tsd.` and "
            "the like behind some: several of different size, or a sign of money, or fractions with `k` or `M`"
        ),
        example="`1.2M` beside `350K` and `980`",
        remedy="`calculate` a column of the numbers, where it is right for every text",
        by_hand="`correct` or `recode` the other texts, then `calculate`",
        not_for="letters of codes (`12B`), lengths (`5m`)",
        together="{} columns hold numbers with a multiplier",
    ),
    Code(
        "type.with_words",
        _NUMBERS,
        says="numbers with the same words around each",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} are a number and the same words, singular or plural, "
            f"or {_share(one_unit.MOSTLY)} where no other has a digit; {numbers_with_words.LEAST_DIFFERENT} numbers or "
            "more"
        ),
        example="`5 days ago`, `$90,060/yr`, `1 stop`, `3 stops`, `non-stop`, `approx. 12 kg`",
        remedy="`calculate` a column of the numbers, where it is right for every text with a digit",
        by_hand="`correct` what is built otherwise, then `calculate`, saying whether commas are between thousands",
        not_for="units that all numbers share, which are read; names with a number (`Room 12`), codes (`12A`)",
        together="{} columns have numbers with words",
    ),
    Code(
        "type.degrees",
        _NUMBERS,
        says="degrees and minutes, as text",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} are numbers with a sign of degrees and one of minutes"
        ),
        example="`47°26'52\"N`",
        remedy=(
            "`calculate` a column of degrees, south and west negative (ISO 6709), where all are on one axis and it is "
            "right for every text"
        ),
        by_hand="`correct` what is built otherwise, then `calculate`; `O` may be east or west",
        not_for="temperatures, angles with a decimal point",
        together="{} columns have degrees and minutes",
    ),
    Code(
        "type.enclosed",
        _NUMBERS,
        says="days, times or numbers with the same text around each",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} are moments of one form behind or before one text, or "
            "numbers without zeros in front between a pair of brackets or quotes"
        ),
        example="`[22/Nov/2026:10:11:32`, `since 3 March 2026`, `(1995)`",
        remedy=(
            "`convert` to a moment with the text in the pattern; `calculate` a column of the numbers, of those in "
            "parentheses where all are years"
        ),
        by_hand=(
            "numbers in parentheses: `convert` to decimal where they are less than zero, `calculate` a column without "
            "the parentheses where they are not"
        ),
        not_for="parentheses around some numbers of a column, as accounts have them; units, codes, lists of JSON",
        together="{} columns have the same text around each value",
    ),
    Code(
        "type.compound_units",
        _NUMBERS,
        says="measures in two units, as text",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} have a number with a unit and another with a smaller "
            "unit of the same kind: feet and inches, pounds and ounces, kg and g, years and months, weeks and days"
        ),
        example="`5'11\"`, `4 lb 3 oz`, `2 years 3 months`",
        remedy="`calculate` a column in the smaller unit, where all are of this kind and it is right for every text",
        by_hand="`correct` what is something else, then `calculate`",
        not_for="minutes and seconds, one unit alone",
        together="{} columns have measures in two units",
    ),
    Code(
        "type.ordinals",
        _NUMBERS,
        says="ordinal numbers, as text",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} are a whole number with an ending, "
            f"{ordinals.LEAST_DIFFERENT} different ones or more: English, each with the ending that it has to have; "
            "French, with the first among them; Spanish, Portuguese and Italian (`1º`)"
        ),
        example="`1st`, `2nd`, `10th`",
        remedy="`calculate` a column of the numbers, where it is right for every text",
        by_hand="`correct` what is built otherwise, then `calculate`",
        not_for="units (`5 st`), codes whose letter says something else (`2e`, `3e`)",
        together="{} columns have ordinal numbers",
    ),
    Code(
        "type.serial_dates",
        _NUMBERS,
        says="day counts of a spreadsheet program instead of dates",
        looks_at=(
            "numbers from 20,000 to 60,000 below a heading of days, on working days only "
            f"({other_types.LEAST_WEEKDAYS} different ones), or near the days of another column; seconds "
            "since 1970; five digits among dates"
        ),
        example="`45413` below `sown_on`",
        remedy="`convert` to dates",
        by_hand="`correct` these cells to the days that the counts mean",
        not_for="counters that never repeat, prices, weights in grams",
        together="{} columns hold day counts",
    ),
    Code(
        "missing.marker",
        _GROUPS,
        says="words that stand for missing",
        looks_at=(
            "known words (`n/a`, `-`, `unknown`, `#N/A`) in four languages, and nulls of JSON; in columns "
            "that are not text they are read as missing, in texts only proposed; -1, -99, 9999 and their like among "
            "texts of which no other is a number"
        ),
        example="`n/a` among names of keepers",
        remedy="`convert` with these words as missing",
        by_hand="where they are read as missing, `--no-known-words` makes them values",
        not_for="answers (`none`), codes of countries and states (NA, ND), symbols (Na), `-` beside `+`",
        together="{} columns have words for missing",
    ),
    Code(
        "missing.stand_in",
        _NUMBERS,
        says="numbers and days that stand for missing",
        looks_at=(
            f"-999.9, 9999, -1, 9999-12-31, 1900-01-01 and their like, {missing.LEAST_STAND_INS} times (less "
            f"often in tables of less than {missing.LEAST_STAND_INS * missing.FEW_ROWS:,} rows), if all "
            "others are further away than they are wide; also among texts of which most would be such values once the "
            "column is converted, as values far outside, impossible ones and days to come are"
        ),
        example="`999` mites where others count up to 40",
        remedy="`convert` with this value as missing",
        not_for="floors below the ground, temperatures, scales from -1 to 1",
        together="{} columns have numbers that stand for missing",
    ),
    Code(
        "missing.zeros",
        _NUMBERS,
        says="a heap of zeros that stands apart from the other values",
        looks_at=(
            f"zeros, {missing.LEAST_STAND_INS} times or more, where the least of the others is at least "
            f"{_share(missing.ZERO_GAP)} of their median and {missing.STEPS_APART:g} of their usual steps away"
        ),
        example="0 kg among weights from 28 to 41",
        remedy="`convert` with 0 as missing",
        not_for="counts, bonuses and fees, rain",
        together="{} columns have zeros that may mean missing",
    ),
    Code(
        "missing.same_as_above",
        _GROUPS,
        says="cells that are blank below the first row of their group",
        looks_at=(
            "blank cells below labels, where another column begins anew with each label (by chance "
            f"{missing_patterns.LEAST_EXPECTED:g} repetitions would be expected), or all groups are equally "
            "long, or each begins such a group of a column behind it; totals among the rows aside"
        ),
        example="the region in the first of its twelve months only",
        remedy="`fill` from the row above",
        not_for="notes that few rows have",
        together="{} columns have labels in the first row of a group only",
    ),
    Code(
        "text.encoding",
        _GROUPS,
        says="texts whose bytes were once decoded in the wrong encoding",
        looks_at=(
            "signs that UTF-8 becomes when it is decoded as Windows-1252, once or twice, and replacement characters"
        ),
        example="`KÃ¶nigin`",
        remedy="`recode` to what they were",
        by_hand="`correct` from where the texts are whole, where characters are lost",
        not_for="texts in which Ã or Â are letters on their own",
        together="{} columns have wrongly decoded texts",
    ),
    Code(
        "text.invisible",
        _GROUPS,
        says="characters that cannot be seen",
        looks_at=(
            "no-break spaces, zero-width and control characters, soft hyphens; letters that are written as several "
            "characters where there is one; joiners between letters of other scripts are content"
        ),
        example="`Mill\\u200b Brook`, `Ho\\u0308he`",
        remedy="`trim` with `invisible`",
        not_for="line ends and tabs inside a text",
        together="{} columns have invisible characters",
    ),
    Code(
        "text.mixed_scripts",
        _GROUPS,
        says="letters of another script that look the same",
        looks_at=(
            "Greek and Cyrillic letters inside words of Latin ones, or the other way round, where all of them have a "
            "double; words of such letters alone, where the column has the same word in the other script"
        ),
        example="`\\u0410pril` beside `April`",
        remedy="`recode` to the letters of the word, or to the commoner of two words",
        not_for="`\\u03b1-pinene`, `\\u0394T`, texts in several languages",
        together="{} columns have letters of another script",
    ),
    Code(
        "text.apostrophe",
        _UNTIDY,
        says="apostrophes in front of numbers, dates and codes",
        looks_at="an apostrophe, then digits, capital letters and the signs of numbers and dates, three at least",
        example="`'0042`, which a spreadsheet program was to keep as text",
        remedy="`replace_text` by what is behind it",
        not_for="`'98`, `'90s`, words in quotes, formulas that are to stay disarmed",
        together="{} columns have apostrophes in front of values",
    ),
    Code(
        "text.cut_off",
        _UNTIDY,
        says="texts that another program cut off",
        looks_at=(
            f"texts of several words, {texts.LEAST_CUT} characters and more: {texts.LEAST_FULL} different ones that "
            f"are as long as the longest, {texts.TIMES_AS_MANY} times as many as of those a little shorter, most of "
            "which end in the middle"
        ),
        example="notes of exactly 255 characters",
        remedy="",
        by_hand="`correct` from where the texts are whole; the program that cut them off may still have them",
        not_for="codes, texts made of one pattern",
        together="{} columns have texts that were cut off",
    ),
    Code(
        "text.markup",
        _UNTIDY,
        says="entities and tags of HTML",
        looks_at=(
            f"entities that HTML knows and the usual tags, in at most {_share(characters.MOST_MARKUP)} of the cells"
        ),
        example="`late &amp; wet`, `<b>late</b>`",
        remedy="`recode` to the text without them",
        not_for="`a < b`, columns that hold pages",
        together="{} columns have markup",
    ),
    Code(
        "text.formula",
        _UNTIDY,
        says="texts that a spreadsheet program would run",
        looks_at="texts that begin with `=`, or with `+`, `-`, `@` and a function or a cell",
        example="`=SUM(A1:A9)`",
        remedy="",
        by_hand="`comb save --disarm`, or `disarm=True`",
        not_for="telephone numbers, dashes, negative numbers",
        together="{} columns have texts that would run as formulas",
    ),
    Code(
        "text.spaces",
        _GROUPS,
        says="outer spaces, or several in a row",
        looks_at="all texts",
        example="`Mill  Brook `",
        remedy="`trim`",
        not_for="line ends inside a text",
        together="{} columns have needless spaces",
    ),
    Code(
        "text.case",
        _GROUPS,
        says="values that differ from a commoner one by case or punctuation only",
        looks_at=(
            f"columns whose values recur; a form that is there {texts.LEAST_COMMON} times and "
            f"{_share(texts.COMMON_TOO)} as often as the commonest is a value of its own, unless only the kind of "
            "dash, quote or width differs"
        ),
        example="`MILL BROOK`, `Mill-Brook.`, `Mill\u2013Brook`, `hr` for `HR`, `I.T.` for `IT`",
        remedy="`recode` to the commonest form",
        not_for="grades and blood groups (A, A+, A-), units (mg, Mg), genes",
        together="{} columns have values that differ by case or punctuation",
    ),
    Code(
        "type.booleans",
        _GROUPS,
        says="words for yes and no in several forms",
        looks_at=(
            "columns of texts whose every value is a known word for yes or no, in more than one pair of words; 1 and 0 "
            "beside words. With one pair in nearly all cells a column is read as boolean at once, the others too"
        ),
        example="`Y`, `no`, `yes`",
        remedy="`recode` to the commonest pair; `convert` to boolean reads all forms",
        not_for="one pair in whatever case, which is read as boolean; N beside other codes",
        together="{} columns say yes and no in several forms",
    ),
    Code(
        "text.spelling",
        _GROUPS,
        says="rare values that look like a common one written wrongly or shortened",
        looks_at=(
            f"values {spelling.LEAST_RATIO} times rarer than another that is one letter away (two from "
            f"{spelling.TWO_LETTERS} letters on), or whose words they begin; digits have to be equal, and no "
            "other column may tell the two apart"
        ),
        example="`layng`, `Station Rd.`",
        remedy="`recode` to the common value",
        not_for="Anna and Anne, Glen Dale and Glendale, Ward A and Ward B",
        together="{} columns have misspelled values",
    ),
    Code(
        "text.length",
        _ROWS,
        says="codes that are shorter or longer than their kind",
        looks_at=(
            f"columns of which {_share(shapes.LEAST_SHAPE)} of the values are built the same way; whole numbers of "
            f"{shapes.LEAST_DIGITS} digits or more that nearly all differ"
        ),
        example="`WR-01` among `WR-0102`",
        remedy="",
        by_hand="`pad_text` where zeros in front were lost, `correct` where a digit was",
        not_for="counters (K9, K10), telephone numbers",
        together="{} columns have codes of another length",
    ),
    Code(
        "text.pattern",
        _ROWS,
        says="values that are not built like the others of their column",
        looks_at=(
            f"columns of which {_share(shapes.LEAST_SHAPE)} of the values are built the same way, and no other build "
            f"is that of more than {_share(shapes.MOST_ONE_OTHER)}"
        ),
        example="`0102-WR` among `WR-0102`",
        remedy="",
        by_hand="`recode` or `correct`; `set_aside` what is nothing of the kind",
        not_for="number plates and post codes of several kinds, words",
        together="{} columns have values built differently",
    ),
    Code(
        "text.json",
        _UNTIDY,
        says="objects and lists in cells",
        looks_at=(
            f"texts and nested values: {_share(nested.LEAST_NESTED)} of the cells or more are objects or lists, as "
            "JSON or Python writes them"
        ),
        example='`{"kg": 4.5, "lid": true}`, `[1, 2]`',
        remedy="`take_apart` of objects, and of lists that are all of one length",
        by_hand="`take_apart`; with `lists: rows` each item gets a row, with `lists: count` their number stays",
        not_for="remarks in brackets",
        together="{} columns hold objects or lists",
    ),
    Code(
        "text.log_lines",
        _UNTIDY,
        says="lines of a log in one cell",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} begin with a day and a time in ISO form, with text behind"
        ),
        example="`2024-06-01 12:00:01,003 INFO [queue] started`",
        remedy=(
            "`calculate` a column of moments, one of levels where each line has one, and one of what stands behind, "
            "where every line begins with a moment"
        ),
        by_hand="`filter` what goes on with the line above, or put it there in the source; then `calculate`",
        not_for="notes with a day somewhere in them",
        together="{} columns hold lines of a log",
    ),
    Code(
        "text.pairs",
        _UNTIDY,
        says="pairs of keys and values in cells",
        looks_at=(
            f"texts: {_share(nested.LEAST_NESTED)} of the cells or more are made of pairs, half of them of several, "
            f"and there are {pairs.LEAST_A_KEY} or more for each key"
        ),
        example="`colour=blue; kg=3`, `level:warn|hive:7`",
        remedy="`take_apart` with the marks between and within the pairs",
        by_hand="`rename` the columns that have the names already, then `take_apart`",
        not_for="times of day, addresses, sentences with a colon",
        together="{} columns hold pairs",
    ),
    Code(
        "text.packed",
        _GROUPS,
        says="several values in one cell",
        looks_at=(
            "texts with `;`, `|`, `/`, `,`, `+` or `&` between parts that recur, alone or at other places; "
            f"{shapes.LEAST_PACKED} cells and {_share(shapes.LEAST_PACKED_SHARE)}, or parts that are all "
            "values of their own"
        ),
        example="`laying; marked`",
        remedy="",
        by_hand="`split` into columns, or into rows; `to_indicators` makes a column of each answer",
        not_for="places with their county, 3/4, free text",
        together="{} columns have cells with several values",
    ),
    Code(
        "text.moment_pairs",
        _UNTIDY,
        says="two days or times in one cell",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} are two days with their years, or two times, with the "
            "same mark or word between them, or one with a remark in parentheses; "
            f"{moment_pairs.LEAST_DIFFERENT} different ones or more"
        ),
        example="`2024-05-03 - 2024-05-09`, `9:00 AM - 5:30 PM`, `June 22, 2020 (Mill)`",
        remedy="`split` at the mark, where every text has it; the drafted plan converts what comes of it",
        by_hand="`correct` what is built otherwise, then `split` at the mark",
        not_for="days without a year, years alone",
        together="{} columns have two moments in a cell",
    ),
    Code(
        "text.number_pairs",
        _UNTIDY,
        says="two numbers in one cell",
        looks_at=(
            f"texts of which {_share(built_texts.LEAST_READ)} are two numbers with the same mark between them, "
            f"{number_pairs.LEAST_DIFFERENT} different ones or more: most with decimals, or with a cross, or with a "
            f"stroke where the first is larger and both lie between {number_pairs.MOST_OF_DATES} and "
            f"{number_pairs.LEAST_YEAR:,}, or the second is always the same and the first no larger; `of` between "
            "them; with a dash or a colon from 0 on, and the first larger here, the second there; or that are the same "
            "but for two numbers, with a word or a mark of an error between them, one in parentheses, or ranges that "
            "overlap"
        ),
        example="`50.0436, -1.0358`, `30 x 45 cm`, `120/80`, `45/50`, `7 of 10`, `3-1`, `$46K-$92K`, `12 (40%)`",
        remedy="`calculate` a column of the first numbers and one of the second, where it is right for every text",
        by_hand="`correct` what is built otherwise, then `calculate`, or `split` at the mark",
        not_for="fractions, classes (`18-24`, `25-34`), times, seasons, parts of codes, numbers with zeros in front",
        together="{} columns have two numbers in a cell",
    ),
    Code(
        "type.leading_zeros",
        _UNTIDY,
        says="codes that look like numbers and would lose their zeros",
        looks_at=(
            f"texts of which {_share(types.LEAST_DIGITS)} are digits only and some begin with 0; they are kept as text"
        ),
        example="colony `0109`",
        remedy="",
        by_hand="nothing is lost: the column is read as texts; `pad_text` where some have lost their zeros",
        not_for="times of day, dates",
        together="{} columns are codes that begin with zeros",
    ),
    Code(
        "type.ambiguous_dates",
        _NUMBERS,
        says="dates in which day and month could be swapped",
        looks_at="columns without a day above 12, and numbers with points that could be days or sections",
        example="`5/6/2026`",
        remedy="`convert` as the heading says, where every value fits",
        by_hand=(
            "`convert` as whoever made the file says, with `date d/M/yyyy` or `date M/d/yyyy`, `duration H:mm` or "
            "`time H:mm`"
        ),
        not_for="columns with one day above 12",
        together="{} columns have dates that could be read in two ways",
    ),
    Code(
        "type.rounded",
        _ROWS,
        says="numbers that a spreadsheet program rounded, or with more digits than a number keeps",
        looks_at=(
            f"numbers in the form 1.23E+12, and of the others those from {types.LEAST_LONG:g} on that end in "
            f"zeros after {types.MOST_SHOWN_DIGITS} digits"
        ),
        example="`4.00639E+12` among codes of 13 digits",
        remedy="",
        by_hand="export the file again with the column as text: the digits are not in it any more",
        not_for="measures in powers of ten",
        together="{} columns have rounded numbers",
    ),
    Code(
        "type.ambiguous_numbers",
        _NUMBERS,
        says="a mark that could separate thousands or decimals",
        looks_at="columns in which every mark has three digits behind it, or parts of releases",
        example="`1.234`",
        remedy="",
        by_hand="`convert` to decimal with `decimal_mark` or `group_mark`, as whoever made the file says",
        not_for="columns of which another shows the mark",
        together="{} columns have numbers that could be read in two ways",
    ),
    Code(
        "type.text_numbers",
        _NUMBERS,
        says="numbers that a workbook, JSON or a database keeps as texts",
        looks_at="texts of a source that knows types which all are numbers",
        example="`'12'`",
        remedy="`convert` to numbers",
        not_for="codes with zeros in front",
        together="{} columns are numbers stored as text",
    ),
    Code(
        "type.text_dates",
        _NUMBERS,
        says="dates and times that a workbook, JSON or a database keeps as texts",
        looks_at="texts of a source that knows types which all are dates, datetimes, times of day or durations",
        example="`'03.11.2025'`",
        remedy="`convert` to them, with the pattern in which they are written",
        not_for="days and months that could be swapped",
        together="{} columns are dates or times stored as text",
    ),
    Code(
        "type.text_booleans",
        _NUMBERS,
        says="answers of yes and no that a workbook, JSON or a database keeps as texts",
        looks_at="texts of a source that knows types which all are one pair of words for yes and no, in whatever case",
        example="`yes` and `No`",
        remedy="`convert` to boolean",
        not_for="a pair of which one word does not occur; two words that mean something else, as on and off",
        together="{} columns are yes and no stored as text",
    ),
    Code(
        "type.mixed_dates",
        _UNTIDY,
        says="dates in several forms",
        looks_at="columns whose values were read by several patterns",
        example="`3.11.2025` and `2025-11-03`",
        remedy="",
        by_hand="nothing is lost: all are read; `convert` with a pattern keeps those of one form",
        not_for="one form with and without zeros in front",
        together="{} columns have dates in several forms",
    ),
    Code(
        "type.clock_numbers",
        _NUMBERS,
        says="times of day written as whole numbers",
        looks_at=(
            "whole numbers below a heading of times whose last two digits are minutes, "
            f"{other_types.LEAST_CLOCKS} different ones"
        ),
        example="`1745`",
        remedy="`convert` to times",
        not_for="durations, counts",
        together="{} columns are times of day without a mark",
    ),
    Code(
        "type.year",
        _UNTIDY,
        says="years: to be compared and counted, not added",
        looks_at=(
            f"whole numbers from {other_types.YEARS[0]} to {other_types.YEARS[1]} below a heading of years, "
            f"or few that go on without a gap between {other_types.LATE_YEARS[0]} and "
            f"{other_types.LATE_YEARS[1]}"
        ),
        example="`2019` below `planted_year`",
        remedy="",
        by_hand="nothing is wrong: leave the column out of sums and means",
        not_for="prices, altitudes",
        together="{} columns hold years",
    ),
    Code(
        "type.labels",
        _GROUPS,
        says="whole numbers that are codes for categories",
        looks_at=(
            f"up to {other_types.MOST_LABELS} different numbers, each about {other_types.LEAST_REPEATED} "
            "times, below a heading of kinds, with one text for each in another column, or with 9 or 99 "
            "behind 1, 2, 3"
        ),
        example="`1`, `2`, `9` below `queen_state`",
        remedy="`convert` to a category: say what they stand for",
        not_for="counts, ratings, throws of dice, 0 and 1",
        together="{} columns are codes for categories",
    ),
    Code(
        "value.impossible",
        _NUMBERS,
        says="values against the nature of the thing",
        looks_at=(
            "shares over the whole, negative counts and measures, parts of what is counted, latitudes over "
            f"90: where {_share(values.LEAST_WITHIN)} of the values keep the rule"
        ),
        example="31.2 months, a humidity of 130 %",
        remedy="",
        by_hand="`correct`; `replace_values` by missing or a bound; `set_aside`",
        not_for="temperatures, balances, floors",
        together="{} columns have values that cannot be",
    ),
    Code(
        "value.outlier",
        _NUMBERS,
        says="values far outside the rest",
        looks_at=(
            f"numbers and days that lie beyond the quartiles by {values.FENCE:g} times the distance between them, "
            f"and at least {values.LEAST_APART:g} such distance apart from all others; on the scale on which the "
            "middle half is symmetric: as they are, or by logarithms; at most "
            f"{_share(values.MOST_OUTLIERS)} of a column"
        ),
        example="a weight of 380 kg among 38",
        remedy="",
        by_hand="`correct`; `replace_values` by missing or a bound; `set_aside`; or leave them and say so",
        not_for="incomes, sizes of towns, keys",
        together="{} columns have values far outside",
    ),
    Code(
        "value.future",
        _NUMBERS,
        says="days that have not happened",
        looks_at=f"days after `as_of`, at most {_share(values.MOST_FUTURE)} of a column",
        example="an inspection next year",
        remedy="",
        by_hand="`correct`, or `set_aside`; `as_of` says which day is today",
        not_for="due dates, ends of contracts, plans",
        together="{} columns have days in the future",
    ),
    Code(
        "relation.computed",
        _NUMBERS,
        says="a column that is computed from others, except here",
        looks_at=(
            "sums, differences, products, ratios and per cents of up to three columns, with constants, sums "
            f"of columns side by side, and days between dates, right in {_share(computed.LEAST_RIGHT)} of the "
            "rows within half a unit of the last digit shown, and by chance in no more than "
            f"{_share(computed.MOST_BY_CHANCE)}"
        ),
        example="net is gross - tare, except in 16 rows",
        remedy="",
        by_hand="`calculate` the column anew, or `correct` what it is calculated from",
        not_for="columns that are only similar",
        together="{} computed columns are wrong in places",
    ),
    Code(
        "relation.lookup",
        _GROUPS,
        says="a column that decides another, except here, or could fill it",
        looks_at=(
            "pairs of columns whose rows agree in the second where they agree in the first, "
            f"{_share(lookups.LEAST_AGREEMENT)} of the way from chance to always; at most "
            f"{_share(lookups.MOST_EXCEPTIONS)} exceptions in groups with a clear majority"
        ),
        example="every apiary has one keeper, except in 2 rows",
        remedy="`fill` the gaps from the other rows, where none contradict",
        by_hand="`recode` or `correct` the value that is wrong",
        not_for="values that change over time",
        together="{} columns could be filled from others, or contradict them",
    ),
    Code(
        "relation.order",
        _NUMBERS,
        says="a start after its end",
        looks_at=(
            "pairs of dates, times, or numbers called least and most, in order in "
            f"{_share(orders.LEAST_IN_ORDER)} of the rows and far more often than by chance"
        ),
        example="returned before it was lent",
        remedy="",
        by_hand="`correct`, or `set_aside`; a plan holds further files against it by a rule, `check`",
        not_for="two dates that have nothing to do with each other",
        together="{} pairs of columns have starts after their ends",
    ),
    Code(
        "relation.orphan",
        _ROWS,
        says="a key that the related table does not have",
        looks_at=(
            "two tables profiled together: texts, whole numbers or days of one that are mostly keys of the other, "
            "also where only the writing differs, or the type"
        ),
        example="an inspection of colony 0999, which no list has",
        remedy="`recode` to the key where only the writing differs; `pad_text` or `convert` where the types do",
        by_hand="`correct` the key, or add what is lacking to the other table",
        not_for="tables that share a few words",
        together="{} columns have keys that the related table lacks",
    ),
    Code(
        "duplicate.rows",
        _ROWS,
        says="rows equal in every column",
        looks_at=(f"copies of rows, {duplicates.LEAST_OVER_CHANCE:g} times more than chance would make of such values"),
        example="the same export appended twice",
        remedy="`remove_duplicates`",
        not_for="throws of dice, repeated measurements",
        together="{} kinds of copies",
    ),
    Code(
        "duplicate.key",
        _ROWS,
        says="a column, or two or three together, that identify all but a few rows",
        looks_at=(
            f"{_share(duplicates.LEAST_UNIQUE)} different values, or at most {_share(keys.MOST_BROKEN)} of "
            f"the rows sharing a combination where chance would make {keys.LEAST_OVER:g} times more pairs "
            "equal"
        ),
        example="visit 50062 twice, with other honey frames",
        remedy="`remove_duplicates` to the fullest, where rows differ only in what is missing",
        by_hand="`comb show --duplicates KEY` puts the rows side by side; `correct`, or `remove_duplicates` with `by`",
        not_for="measures that are different by nature",
        together="{} keys are there twice",
    ),
    Code(
        "duplicate.near",
        _ROWS,
        says="rows that differ only in spaces, case or one field",
        looks_at=(
            "rows equal in all columns but one, where chance would make less than one in "
            f"{keys.LEAST_SURPRISE:g} of them; columns that decide each other count once"
        ),
        example="the same visit under a second number",
        remedy="",
        by_hand="`remove_duplicates` with `by`, which sets aside what differs; `correct` the field",
        not_for="repeated measurements, orders of one customer",
        together="{} kinds of near copies",
    ),
    Code(
        "value.total",
        _NUMBERS,
        says="a given total that its parts do not add up to",
        looks_at="totals in a workbook by the cells they add up, and totals among the rows",
        example="76.6 where the parts make 67.6",
        remedy="",
        by_hand="`correct` the total or its parts; a sum by `aggregate` needs no total",
        not_for="totals of hidden rows that are read",
        together="{} columns have wrong totals",
    ),
    Code(
        "series.incomplete",
        _NUMBERS,
        says="combinations of keys and periods that are not there",
        looks_at=(
            "periods that go on by seconds, minutes, hours, days, weeks, months, quarters or years, "
            f"{_share(series.LEAST_THERE)} of "
            "which are there for the keys"
        ),
        example="no reading of scale 4 in May",
        remedy="`add_combinations` of these keys and this period, if it adds as many rows as are not there",
        by_hand="`add_combinations` with the keys and the period that there should be",
        not_for="visits on days that somebody chose, weekends of working days",
        together="{} series have gaps",
    ),
    Code(
        "series.order",
        _NUMBERS,
        says="single values out of order in a column that goes up, or down, from row to row",
        looks_at=(
            f"numbers and dates of {ascending.LEAST_ROWS} rows or more, of which {_share(ascending.LEAST_RISING)} are "
            f"beyond the one above and at most {_share(ascending.MOST_BREAKS)} before it"
        ),
        example="a meter that reads 1,204, 704, 1,209",
        remedy="",
        by_hand="`correct`; `sort` if it is only the order of the rows",
        not_for="a new counter that begins at nothing, several series below each other, numbers of records",
        together="{} columns have values out of order",
    ),
    Code(
        "series.partial",
        _NUMBERS,
        says="a last period that is not over",
        looks_at=(
            f"the last period where at most {_share(series.PARTIAL)} of the keys have it and "
            f"{_share(series.NEARLY_ALL)} had the one before, or in which `as_of` lies"
        ),
        example="June with 5 of 12 shops",
        remedy="`set_aside` of its rows, if they are the last of a column of dates or numbers",
        by_hand="`set_aside` or `filter` the rows of the period that is not whole",
        not_for="series of days",
        together="{} series end within a period",
    ),
    Code(
        "layout.levels",
        _NUMBERS,
        says="two levels of detail in one table",
        looks_at=(
            f"a column that is repeated {layout.LEAST_REPEATS:g} times on average and decides "
            f"{layout.LEAST_DECIDED} others, {layout.LEAST_TELLING_COLUMNS} of which nearly tell its values "
            "apart"
        ),
        example="customers' addresses in each of their orders",
        remedy="`separate_tables` with `part: rest`; a second table, with `part: keys`, holds what it takes out",
        not_for="subjects with their sex, places with their county",
        together="{} columns are on another level",
    ),
    Code(
        "layout.stacked_fields",
        _UNTIDY,
        says="records whose fields stand below each other",
        looks_at=(
            "two columns, of which the first has the same few names again and again, none of them twice in "
            f"{stacked_fields.LEAST_RECORDS} records or more, and the other words for some names, numbers or days "
            "for others"
        ),
        example="`Name`, `Ada`; `Hives`, `7`; `Name`, `Bo`",
        remedy="`to_wide` with the name at which a record begins",
        by_hand="`to_wide` by a column that tells the records apart",
        not_for="one measure for each month or place, again and again",
        together="{} sets of columns have fields below each other",
    ),
    Code(
        "layout.values_as_names",
        _UNTIDY,
        says="columns whose names are values",
        looks_at=(
            f"{headings.LEAST_HEADINGS} columns or more called after months, quarters, years, weeks or days, "
            "alone or behind the same words"
        ),
        example="`January`, `February`; `weight_2024`, `weight_2025`",
        remedy="`to_long`",
        not_for="numbered questions",
        together="{} sets of columns have values as names",
    ),
    Code(
        "column.empty",
        _UNTIDY,
        says="columns with nothing in them",
        looks_at="all cells",
        example="`checked`, never filled in",
        remedy="`select` without it",
        not_for="",
        together="{} columns are empty",
    ),
    Code(
        "column.constant",
        _UNTIDY,
        says="columns with one value",
        looks_at="all cells that are not missing",
        example="`tare_kg` is 18.5 throughout",
        remedy="`select` without it; of a mark beside empty cells (`x`, `yes`) `calculate` whether there is one",
        not_for="",
        together="{} columns have one value",
    ),
    Code(
        "column.row_number",
        _UNTIDY,
        says="columns that count the rows",
        looks_at=(
            f"whole numbers that go on by one from 0 or 1, in tables of {whole_columns.LEAST_ROWS} rows or "
            "more, beside another key or called a row number"
        ),
        example="`0, 1, 2` below an empty heading",
        remedy="`select` without it",
        not_for="the only key of a table",
        together="{} columns count the rows",
    ),
    Code(
        "column.copy",
        _UNTIDY,
        says="columns equal to another",
        looks_at="all cells",
        example="`mass` and `weight`",
        remedy="`select` without it",
        not_for="columns that differ in one cell",
        together="{} columns are copies",
    ),
    Code(
        "column.indicators",
        _UNTIDY,
        says="several columns of yes and no that are one variable",
        looks_at=(
            f"{whole_columns.LEAST_INDICATORS} columns side by side of which {_share(whole_columns.ONE_EACH)} "
            "of the rows have exactly one yes"
        ),
        example="`is_cat`, `is_dog`, `is_bird`",
        remedy="`from_indicators`, if every row has exactly one yes",
        by_hand="`correct` the rows with none or several, then `from_indicators`",
        not_for="answers of which several can be ticked",
        together="{} sets of columns are one variable",
    ),
    Code(
        "missing.together",
        _UNTIDY,
        says="columns missing exactly where another is, or has certain values",
        looks_at=f"{missing_patterns.LEAST_CELLS} missing cells or more, in exactly the same rows",
        example="`closed_on` is missing where `state` is open",
        remedy="",
        by_hand="nothing to repair where the question was not asked; else `fill`",
        not_for="columns that are often missing",
        together="{} groups of columns are missing together",
    ),
    Code(
        "missing.blank",
        _UNTIDY,
        says="empty cells",
        looks_at="cells with nothing or only spaces in them, and cells that a record does not have",
        example="no keeper in 53 rows",
        remedy="",
        by_hand="`fill` from other rows, groups or a formula; `remove_missing`; or leave them: they count in no mean",
        not_for="labels that are written once for a group",
        together="{} columns have empty cells",
    ),
    Code(
        "column.name",
        _UNTIDY,
        says="names with what one does not see",
        looks_at="the names of columns: spaces at their ends or several in a row, invisible characters, other scripts",
        example="`kg\\u200b`, `Ho\\u0308he`",
        remedy="`rename`",
        not_for="names that two columns would have then",
        together="{} names have what one does not see",
    ),
)

# In the order in which findings are repaired.
CODES: dict[str, Code] = {one.code: one for one in _ALL}


def code_of(name: str) -> Code:
    """Return a kind of finding by its code.

    Raises
    ------
    ParameterError
        With the nearest name, if it is unknown.
    """
    if name not in CODES:
        what, remedy = unknown_name("code", name, list(CODES))
        raise ParameterError(what, remedy=remedy)
    return CODES[name]


def completed(finding: Finding) -> Finding:
    """Add what its code says: how much it matters, and what a person can do about it where there is no remedy."""
    code = CODES[finding.code]
    by_hand = "" if finding.remedy is not None else code.by_hand.replace("`", "")
    return replace(finding, severity=code.severity, by_hand=by_hand)


def as_markdown() -> str:
    """Return the page on findings: a table of all codes, then each with all there is to say."""
    lines = ["# Findings", ""]
    lines += [
        "What `comb profile` and `table.profile()` look for, from which value on, and what they propose. The page is",
        "made from the table that the code reads (`comb.profiling.codes`); `comb profile --explain CODE` prints one.",
        "",
        "How much a finding matters is what it would do to a result that nobody looks at: wrong numbers, lost rows,",
        "wrong groups, or only an untidy table. Findings are listed in that order.",
        "",
        "| Code | Says | Would give |",
        "|---|---|---|",
    ]
    for one in CODES.values():
        lines.append(f"| [`{one.code}`](#{one.code.replace('.', '')}) | {one.says} | {one.severity.words} |")
    for one in CODES.values():
        parts = [f"- {part}" for part in explained(one)]
        lines += ["", f"## {one.code}", "", f"{one.says[0].upper()}{one.says[1:]}.", "", *parts]
    return "\n".join(lines) + "\n"


def explained(code: Code) -> list[str]:
    """Return the parts of an explanation: what is looked at, an example, the remedy, what it is not for."""
    parts = [f"Looks at: {code.looks_at}.", f"For instance: {code.example}.", f"Would give: {code.severity.words}."]
    parts.append(f"Remedy: {code.remedy}." if code.remedy else "Remedy: what is right the values do not say.")
    parts += [f"By hand: {code.by_hand}."] if code.by_hand else []
    return parts + ([f"Is not for: {code.not_for}."] if code.not_for else [])
