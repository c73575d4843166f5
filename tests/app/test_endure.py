"""The real window, killed at some moment: nothing saved is lost, and at most five seconds of edits."""

from __future__ import annotations

import signal

import pytest

from tests.app.endure import check


@pytest.mark.parametrize("seed", range(11, 16))
def test_killed_at_some_moment(seed):
    check(seed, longest=4.0)


def test_told_to_end_it_keeps_everything():
    check(21, signal.SIGTERM, longest=2.0)
