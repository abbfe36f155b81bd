"""Inputs that once crashed, hung, filled the memory, lost something or let someone in: listed in `index.txt`."""

import os
import resource
import subprocess
import sys
from pathlib import Path

import pytest

HERE = Path(__file__).parent
LINES = [line.split(" | ") for line in (HERE / "index.txt").read_text("utf-8").splitlines()[1:]]

# More memory than any of them may take, and more seconds.
MOST_MEMORY = 2 << 30
MOST_SECONDS = 30


def test_every_file_is_listed() -> None:
    listed = {name for name, *_ in LINES}
    there = {
        path.name for path in HERE.iterdir() if path.is_file() and not path.name.endswith((".py", "-metadata.json"))
    }
    assert there - {"index.txt"} == listed


@pytest.mark.parametrize(("name", "said"), [(name, said) for name, _, said in LINES])
def test_it_is_answered_in_bounds_and_with_a_word(name: str, said: str) -> None:
    def limit() -> None:
        resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))

    place = str(HERE / name)
    kinds = {".yaml": [["run", place]], ".xz": [["inspect", place, "--most-bytes", "10000000"]]}
    asked = [["inspect", place], ["show", place], ["profile", place]]
    if name in ("big.xlsx", "lzma.zip"):
        asked = [[*arguments, "--most-bytes", "10000000"] for arguments in asked]
    output = ""
    for arguments in kinds.get(Path(name).suffix, asked):
        done = subprocess.run(
            [sys.executable, "-m", "comb", *arguments],
            capture_output=True, timeout=MOST_SECONDS, preexec_fn=limit, env={**os.environ, "COLUMNS": "200"},
        )  # fmt: skip
        text = (done.stdout + done.stderr).decode()
        assert done.returncode in (0, 2), text
        assert "Traceback" not in text and "\x1b]" not in text and "\u202e" not in text and "\x9b" not in text
        output += text
    assert said in " ".join(output.split()) or said in output, output[:2000]
