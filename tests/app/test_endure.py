"""The real window, killed at some moment: nothing saved is lost, and at most five seconds of edits."""

from __future__ import annotations

import signal

import pytest

from tests.app.endure import check


@pytest.mark.parametrize(("seed", "between"), [(11, (0.3, 4.0)), (12, (0.3, 4.0))])
def test_killed_soon_after_the_start(seed, between):
    check(seed, between)


@pytest.mark.parametrize("seed", [13, 14, 15])
def test_killed_when_edits_are_older_than_the_copy_may_be_behind(seed):
    assert check(seed, (6.5, 8.5)) > 0, "there was an edit that had to be kept"


def test_told_to_end_it_keeps_everything():
    assert check(21, (1.0, 2.0), signal.SIGTERM) > 0
