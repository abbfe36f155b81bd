"""What people see of results, as lines of spans: the same at the terminal, in Python and in a notebook. Pure."""
