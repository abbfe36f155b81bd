"""A step in a line."""

import yaml

from comb.plans.model import step_record
from comb.steps.accounting import shown_text
from comb.steps.base import Step

MOST_VALUES_LISTED = 3

# A step with more signs than this shows fewer of its values.
LONGEST_STEP = 160


def step_line(step: Step) -> str:
    """Write a step in one line, as a plan would; of many or long values the first, and how many there are."""
    for most in range(MOST_VALUES_LISTED, 0, -1):
        line = _step_with(step, most)
        if len(line) <= LONGEST_STEP:
            break
    return line


def _step_with(step: Step, most: int) -> str:
    record = {key: value for key, value in step_record(step).items() if key not in ("step", "why")}
    shown, cut = {}, []
    for key, value in record.items():
        shown[key] = value
        if isinstance(value, dict | list) and len(value) > most:
            first = list(value.items() if isinstance(value, dict) else value)[:most]
            shown[key] = dict(first) if isinstance(value, dict) else first
            cut.append(f"{most} of {len(value)} {key} shown")
    message = yaml.safe_dump(shown, default_flow_style=True, sort_keys=False, allow_unicode=True, width=10_000)
    more = f" ({'; '.join(cut)})" if cut else ""
    # What cannot be seen or looks like other letters is written out: else a text would become the same text.
    return shown_text(f"{step.name} {message.strip()[1:-1]}".strip() + more)
