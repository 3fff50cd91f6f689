"""Planes, chunk keys, the bounded cache, encodings."""

from __future__ import annotations

from threading import Thread

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float, srgb_to_linear_float
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import MemoryChunks, Plane, chunk_key, empty_chunk
from ruvelt.core.stack.channels import HEIGHT_MID, STANDARD_CHANNELS, decode, encode
from ruvelt.core.workers import Workers

BY_ID = {c.id: c for c in STANDARD_CHANNELS}


def test_planes_share_what_did_not_change() -> None:
    store = MemoryChunks()
    one = store.put(empty_chunk(4))
    changed = empty_chunk(4)
    changed[0, 5] = 7
    two = store.put(changed)
    before = Plane(4, {0: one, 3: one})
    after = before.with_chunks({3: two, 7: one, 0: None})
    assert dict(before.chunks) == {0: one, 3: one}
    assert dict(after.chunks) == {3: two, 7: one}
    assert store.get(two)[0, 5] == 7
    with pytest.raises(ValueError, match="read-only"):
        store.get(two)[0, 5] = 9


def test_keys_follow_content_and_shape() -> None:
    a, b = empty_chunk(2), empty_chunk(2)
    assert chunk_key(a) == chunk_key(b)
    b[1, 65535] = 1
    assert chunk_key(a) != chunk_key(b)
    assert chunk_key(np.zeros((2, 8), np.uint16)) != chunk_key(np.zeros((4, 4), np.uint16))


def test_cache_stays_inside_its_limit_and_lets_the_oldest_go() -> None:
    cache = BoundedCache(1000)
    for i in range(5):
        cache.put(i, f"v{i}", 300)
    assert cache.held <= 1000
    assert [cache.get(i) for i in range(5)] == [None, None, "v2", "v3", "v4"]
    cache.get(2)
    cache.put(9, "v9", 300)
    assert cache.get(2) == "v2"
    assert cache.get(3) is None


def test_a_stale_stamp_is_a_miss() -> None:
    cache = BoundedCache(1000)
    cache.put("k", 1, 10, version=5)
    assert cache.get("k", 5) == 1
    assert cache.get("k", 6) is None
    cache.put("k", 2, 20, version=6)
    assert cache.held == 20
    cache.put("big", 3, 5000)
    assert cache.get("big") is None
    assert cache.get("k", 6) == 2


def test_cache_under_threads_never_miscounts() -> None:
    cache = BoundedCache(5000)

    def work(seed: int) -> None:
        random = np.random.default_rng(seed)
        for _ in range(2000):
            cache.put(int(random.integers(50)), 0, int(random.integers(1, 400)))

    threads = [Thread(target=work, args=(i,)) for i in range(4)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert 0 < cache.held <= 5000
    cache.clear()
    assert cache.held == 0


@pytest.mark.parametrize(("code", "linear"), [(0, 0.0), (128, 0.21586), (188, 0.50289), (255, 1.0)])
def test_srgb_against_known_values(code: int, linear: float) -> None:
    assert srgb_to_linear_float(code / 255) == pytest.approx(linear, abs=1e-5)
    assert DECODE_U16[code * 257] == pytest.approx(linear, abs=1e-5)


def test_srgb_turns_back() -> None:
    v = np.linspace(0, 1, 1001)
    assert_allclose(linear_to_srgb_float(srgb_to_linear_float(v)), v, atol=1e-7)


@given(st.floats(-1, 1))
def test_height_codes_turn_back(height: float) -> None:
    code = encode(BY_ID["height"], (height,))
    assert decode(BY_ID["height"], code)[0] == pytest.approx(height, abs=1 / 32767)


def test_flat_height_is_exact_and_values_clamp() -> None:
    assert encode(BY_ID["height"], (0.0,))[0] == HEIGHT_MID
    assert decode(BY_ID["height"], np.array([HEIGHT_MID]))[0] == 0.0
    assert_array_equal(encode(BY_ID["height"], (-5.0,)), [1])
    assert_array_equal(encode(BY_ID["base_color"], (2.0, -1.0, 0.5)), [65535, 0, 32768])


def test_workers_keep_order_and_raise() -> None:
    workers = Workers(2)
    assert workers.map(lambda i: i * i, range(20)) == [i * i for i in range(20)]
    # Workers that ask for workers do not wait for each other.
    assert workers.map(lambda i: sum(workers.map(lambda j: i * j, range(5))), range(8)) == [10 * i for i in range(8)]
    with pytest.raises(ZeroDivisionError):
        workers.map(lambda i: 1 // i, [1, 0, 2])
    workers.close()
