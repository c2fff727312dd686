"""What is kept is bounded in bytes, and what was used last stays."""

from __future__ import annotations

from able_brick.core.cache import Budget, ByteCache


def test_what_was_used_longest_ago_goes_first() -> None:
    cache: ByteCache[str] = ByteCache(10, len)
    for key in ("a", "b", "c"):
        cache.keep(key, key * 3)
    assert cache.find("a") == "aaa"
    cache.keep("d", "dddd")
    assert [cache.find(k) for k in "abcd"] == ["aaa", None, "ccc", "dddd"]


def test_caches_share_a_budget_and_what_is_derived_goes_first() -> None:
    budget = Budget(10)
    source: ByteCache[str] = ByteCache(100, len, derived=False, budget=budget)
    one: ByteCache[str] = ByteCache(100, len, budget=budget)
    two: ByteCache[str] = ByteCache(100, len, budget=budget)
    source.keep("mesh", "x" * 4)
    one.keep("a", "x" * 3)
    two.keep("b", "x" * 3)
    assert one.find("a") is not None
    two.keep("c", "x" * 2)
    assert (one.find("a"), two.find("b"), two.find("c")) == ("xxx", None, "xx")
    source.keep("large", "x" * 6)
    assert (one.find("a"), two.find("c"), budget.bytes) == (None, None, 10)
    source.keep("more", "x")
    assert [source.find(k) for k in ("mesh", "large", "more")] == [None, "x" * 6, "x"]


def test_the_latest_stays_however_large_it_is() -> None:
    cache: ByteCache[str] = ByteCache(4, len, latest=True)
    cache.keep("a", "x" * 3)
    cache.keep("b", "y" * 9)
    assert (cache.find("a"), cache.find("b")) == (None, "y" * 9)
    cache.keep("c", "z")
    assert (cache.find("b"), cache.find("c")) == (None, "z")


def test_the_latest_stays_beyond_the_budget_too() -> None:
    budget = Budget(10)
    shown: ByteCache[str] = ByteCache(8, len, latest=True, budget=budget)
    other: ByteCache[str] = ByteCache(100, len, budget=budget)
    other.keep("other", "x" * 5)
    shown.keep("a", "y" * 20)
    assert (other.find("other"), shown.find("a"), budget.bytes) == (None, "y" * 20, 20)


def test_what_is_larger_than_all_is_handed_back_and_not_kept() -> None:
    cache: ByteCache[str] = ByteCache(10, len)
    cache.keep("small", "x")
    assert cache.get("large", lambda: "y" * 11) == "y" * 11
    assert (cache.find("large"), cache.find("small")) == (None, "x")


def test_a_value_is_made_once_and_counted_once() -> None:
    cache: ByteCache[str] = ByteCache(10, len)
    made: list[int] = []

    def make() -> str:
        made.append(1)
        return "x" * 6

    assert cache.get("k", make) == cache.get("k", make)
    assert made == [1]
    cache.keep("k", "y" * 9)
    cache.keep("l", "z")
    assert (cache.find("k"), cache.find("l")) == ("y" * 9, "z")


def test_what_grows_while_it_is_kept_leaves_the_count_right() -> None:
    cache: ByteCache[list[str]] = ByteCache(10, len)
    grown = cache.keep("grown", ["x"])
    grown += ["y"] * 8
    cache.keep("grown", ["z"])
    for key in range(20):
        cache.keep(key, ["x"])
    assert [key for key in range(20) if cache.find(key)] == list(range(10, 20))
