"""Tables on the sheets of workbooks and in pages of HTML."""
