"""The letters that name the columns of a sheet."""


def column_letters(column: int) -> str:
    """Write a column, from 0, in letters.

    >>> column_letters(0), column_letters(27)
    ('A', 'AB')
    """
    letters = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
