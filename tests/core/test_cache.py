"""What is kept is bounded in bytes, and what was used last stays."""

from __future__ import annotations

from able_brick.core.cache import ByteCache


def test_what_was_used_longest_ago_goes_first() -> None:
    cache: ByteCache[str] = ByteCache(10, len)
    for key in ("a", "b", "c"):
        cache.keep(key, key * 3)
    assert cache.find("a") == "aaa"
    cache.keep("d", "dddd")
    assert [cache.find(k) for k in "abcd"] == ["aaa", None, "ccc", "dddd"]


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
