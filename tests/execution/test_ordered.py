"""Work in parallel: results in order, and an end when it is interrupted."""

from threading import Event

import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.execution.ordered import in_order


@given(st.lists(st.integers(), max_size=20), st.integers(1, 4))
def test_results_come_in_order(items: list[int], threads: int) -> None:
    assert list(in_order(lambda item: item * 2, items, threads)) == [item * 2 for item in items]


def test_work_that_goes_on_is_told_when_another_failed() -> None:
    stopped, begun = Event(), Event()

    def work(number: int) -> str:
        if number == 0:
            begun.wait(10)
            raise ValueError("broken")
        begun.set()
        # Without being told it would go on for a long time.
        return "told" if stopped.wait(10) else "not told"

    with pytest.raises(ValueError, match="broken"):
        list(in_order(work, range(3), 2, stopped.set))
    assert stopped.is_set()
    assert list(in_order(str, range(3), 2, pytest.fail)) == ["0", "1", "2"]
