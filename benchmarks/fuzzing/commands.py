"""Command lines: real and invented options on good and bad files."""

import contextlib
import io
import sys
from pathlib import Path
from random import Random

from comb.cli.main import main
from fuzzing import sources
from fuzzing.steps import formula

COMMANDS = ["inspect", "show", "count", "profile", "run", "demo", "nope"]
OPTIONS = [
    "--json", "--first", "--last", "--between", "--record", "--columns", "--where", "--sort", "--type-line", "--by", "--across",
    "--of-counts", "--column", "--draft", "--check", "--dry-run", "--overwrite", "--table", "--delimiter", "--quote", "--encoding",
    "--header", "--skip", "--missing", "--no-known-words", "--type", "--rows", "--schema", "--totals", "--lists", "--most-bytes",
    "--help", "--nope", "--write-outside",
]  # fmt: skip
VALUES = [
    "0", "1", "2", "-1", "10000000000000000000000", "1.5", "", "x", "a", "mites", "colony=string", "kg=nope", "a=b=c", "utf-8",
    "punycode", "utf-16", "rot13", "tab", ";", "keep", "rows", "plan.yaml", "x.csv", ".", "/dev/null", "/nope/x", "\x1b[31m", "é", "1 2",
]  # fmt: skip


def commands(chance: Random, folder: Path) -> str:
    """One command; it ends with 0, 1 or 2, and never with a traceback."""
    (folder / "x.csv").write_bytes(
        chance.choice([b"", b"a\n", sources.DEMO[:3000], sources.table(chance), b"a,b\n1,2\n"])
    )
    (folder / "plan.yaml").write_text("source: x.csv\nsteps: [{step: trim}]\nsave: out\n")
    command = chance.choice(COMMANDS)
    words = [command, chance.choice(["x.csv", "x.csv", "x.csv", "plan.yaml", "nope.csv", ".", "-"])]
    for _ in range(chance.randrange(5)):
        words.append(chance.choice(OPTIONS))
        if chance.random() < 0.7:
            words.append(formula(chance, ["a", "mites"]) if words[-1] == "--where" else chance.choice(VALUES))
    if command == "demo":
        words = ["demo", chance.choice(["d", "", "x.csv", "/nope/d"]), "--nope"]
    out, err, before = io.StringIO(), io.StringIO(), (sys.argv, sys.stdin)
    code: object = None
    with contextlib.chdir(folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        sys.argv = ["comb", *words]
        sys.stdin = io.TextIOWrapper(io.BytesIO(b"a,b\n1,2\n"))
        try:
            main()
        except SystemExit as end:
            code = end.code
        finally:
            sys.argv, sys.stdin = before
    said = out.getvalue() + err.getvalue()
    if code not in (None, 0, 1, 2) or "Traceback" in said or "\x1b[31m" in said:
        raise AssertionError(f"{words}: exit {code}: {err.getvalue()[:500]}")
    return f"exit {code}"


KINDS = [commands]
