"""
One person's questions wait for each other; nobody else's wait for them.
"""

from __future__ import annotations

import threading

import pytest

from bouquet.designing.budget import Budget, TooMuchAtOnce


def test_a_person_who_asks_too_much_waits_and_is_then_refused() -> None:
    budget = Budget(at_once=2, waiting=1, patience=0.05)
    with budget.taken(1), budget.taken(1):
        with pytest.raises(TooMuchAtOnce), budget.taken(1):
            pass
        with budget.taken(2):
            pass
    with budget.taken(1), budget.taken(1):
        pass


def test_whoever_waits_goes_on_when_an_answer_is_there() -> None:
    """And more than may wait are refused at once."""
    budget = Budget(at_once=1, waiting=1, patience=30)
    begun, done = threading.Event(), threading.Event()

    def ask() -> None:
        begun.set()
        with budget.taken(1):
            done.set()

    with budget.taken(1):
        waiting = threading.Thread(target=ask)
        waiting.start()
        begun.wait()
        for _ in range(1_000):
            if budget._queued:
                break
            waiting.join(0.01)
        with pytest.raises(TooMuchAtOnce), budget.taken(1):
            pass
        assert not done.is_set()
    waiting.join()
    assert done.is_set()
