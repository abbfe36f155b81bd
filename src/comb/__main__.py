"""`python -m comb` is the command line, for where scripts are not on the path."""

from comb.cli.main import main

if __name__ == "__main__":
    main()
