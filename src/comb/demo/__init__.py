"""The demo data of a beekeepers' co-operative that does not exist, and how it is made."""
