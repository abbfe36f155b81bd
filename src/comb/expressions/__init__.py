"""The language of conditions and formulas: parse, check, evaluate.

SQL scalar expressions over whole columns, three-valued where cells are missing.
"""
