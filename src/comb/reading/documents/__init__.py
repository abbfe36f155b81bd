"""Sources with tables inside: workbooks, pages and JSON."""
