"""What is kept: the latest, up to a size, and never less than one."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest

from curvesieve.core.kept import Kept


def test_what_was_asked_for_longest_ago_is_forgotten_first():
    kept = Kept(10, len)
    for key in "abc":
        kept.put(key, key * 4)
        assert kept.get("a")  # asked for, so it stays
    assert kept.get("b") is None
    kept.put("a", "a" * 7)
    assert kept.get("c") is None
    kept.put("huge", "x" * 50)
    assert kept.get("a") is None
    assert kept.made("huge", lambda: pytest.fail("it is kept")) == "x" * 50


def test_a_failure_is_not_kept_and_threads_do_not_lose_the_count():
    kept = Kept(3)

    def fail():
        raise ValueError("no such thing")

    with pytest.raises(ValueError, match="no such thing"):
        kept.made("a", fail)
    assert kept.made("a", lambda: 1) == 1
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda k: kept.made(k % 7, lambda: k % 7), range(2000)))
    assert sum(kept.get(k) == k for k in range(7)) == 3
