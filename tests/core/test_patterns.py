"""Patterns and noise as samples of a size see them: closed forms, means over finer samples, and how noise is spread."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from ruvelt.core.stack.fields import Noise, Spots, Weave
from ruvelt.core.stack.measures import Measures
from ruvelt.core.stack.noise import BASES, lattices
from tests.core.scene import Scene, paint_layer
from tests.meshes import globe, model_of, square

PLATES = {side: Scene(square(2.0), (paint_layer(),), side=side) for side in (256, 1024)}
#: A size, share of the diagonal, of so many texels at 256².
TEXEL = 2 / 256 / (2 * np.sqrt(2))


def image(of: Noise | Spots | Weave, side: int = 256) -> np.ndarray:
    """(side, side) 0–1, top row first."""
    scene = PLATES[side]
    measures = Measures(scene.samples, lambda key: None, scene.cache)
    values_u16 = np.concatenate([measures.pattern(of, c) for c in range(scene.samples.chunk_count)])
    return np.asarray(scene.samples.to_image(values_u16[:, None])[..., 0] / 65535)


def averaged(of: Noise | Spots | Weave) -> np.ndarray:
    return image(of, 1024).reshape(256, 4, 256, 4).mean(axis=(1, 3))


def stripes_over(x: np.ndarray, period: float, share: float, width: float) -> np.ndarray:
    """Mean of stripes, bright about the middle of a repeat, over `width` around x: by counting."""
    fine = (np.arange(4000) + 0.5) / 4000 - 0.5
    at = (x[:, None] + fine * width) / period
    return np.asarray((np.abs(at - np.floor(at) - 0.5) < share / 2).mean(axis=1))


@pytest.mark.parametrize("texels", [1.2, 2.0, 3.3, 9.7])
@pytest.mark.parametrize("share", [0.3, 0.5])
def test_stripes_are_their_mean_over_each_texel(texels: float, share: float) -> None:
    got = image(Weave(size=texels * TEXEL, along=(1, 0, 0), share=share, softness=0.0))[128]
    x = (np.arange(256) + 0.5) * 2 / 256 - 1
    assert_allclose(got, stripes_over(x, texels * 2 / 256, share, 2 / 256), atol=2e-3)
    # Of a fine one little is left, and no other pattern stands in for it.
    assert np.ptp(image(Weave(size=0.5 * TEXEL, along=(1, 0, 0), share=share, softness=0.0))) < 1e-3


def test_stripes_that_slant_run_as_they_should() -> None:
    """Of 1.7 texels at 30°: the strongest wave is the pattern's own, not one of the raster's with it."""
    angle = np.radians(30)
    got = image(Weave(size=2.6 * TEXEL, along=(float(np.cos(angle)), float(np.sin(angle)), 0), softness=0.0))
    spectrum = np.abs(np.fft.fft2(got - got.mean()))
    row, column = np.unravel_index(np.argmax(spectrum), spectrum.shape)
    v, u = np.fft.fftfreq(256)[[row, column]]
    assert abs(u) == pytest.approx(np.cos(angle) / 2.6, abs=0.006)
    assert abs(v) == pytest.approx(np.sin(angle) / 2.6, abs=0.006)


@pytest.mark.parametrize("form", ["stripes", "checks", "rings"])
@pytest.mark.parametrize("share", [0.2, 0.3, 0.5, 0.7, 0.8])
def test_the_share_is_what_is_bright(form: str, share: float) -> None:
    got = image(Weave(form=form, size=11.3 * TEXEL, along=(0, 0, 1), share=share, softness=0.0))  # type: ignore[arg-type]
    if form == "stripes":
        got = image(Weave(form="stripes", size=11.3 * TEXEL, along=(0.6, 0.8, 0), share=share, softness=0.0))
    assert got.mean() == pytest.approx(share, abs=0.02)


PATTERNS = [
    *(Weave(form=f, size=s * TEXEL, along=(0.5, 0.2, 0.9), softness=0.05) for f in ("stripes", "checks", "rings") for s in (1.5, 4.0, 12.0)),  # type: ignore[arg-type]
    *(Noise(basis=b, size=s * TEXEL, octaves=4) for b in BASES for s in (1.0, 1.5, 2.5, 4.0, 8.0, 30.0)),  # type: ignore[arg-type]
    *(Spots(size=s * TEXEL, hardness=h, variation=0.4) for s in (1.5, 4.0, 20.0) for h in (0.2, 1.0)),
]


@pytest.mark.parametrize("of", PATTERNS, ids=lambda p: f"{p.__class__.__name__}-{getattr(p, 'form', getattr(p, 'basis', ''))}-{p.size / TEXEL:.1f}")
def test_it_looks_the_same_at_two_resolutions(of: Noise | Spots | Weave) -> None:
    """A coarse sheet shows what a fine one does averaged down."""
    coarse, fine = image(of), averaged(of)
    assert coarse.mean() == pytest.approx(fine.mean(), abs=0.02)
    assert np.sqrt(np.square(coarse - fine).mean()) < 0.02


@settings(max_examples=15, deadline=None)
@given(
    texels=st.floats(1, 20),
    basis=st.sampled_from(list(BASES)),
    octaves=st.integers(1, 6),
    roughness=st.floats(0.2, 0.8),
    balance=st.floats(0.2, 0.8),
    seed=st.integers(0, 2**31 - 1),
)
def test_any_noise_looks_the_same_at_two_resolutions(texels: float, basis: str, octaves: int, roughness: float, balance: float, seed: int) -> None:
    of = Noise(basis=basis, size=texels * TEXEL, octaves=octaves, roughness=roughness, balance=balance, seed=seed)  # type: ignore[arg-type]
    assert np.sqrt(np.square(image(of) - averaged(of)).mean()) < 0.025


@pytest.mark.parametrize("basis", BASES)
def test_fine_noise_of_much_contrast_fades_to_its_mean_and_not_to_black_or_white(basis: str) -> None:
    for balance in (0.2, 0.4, 0.8):
        of = Noise(basis=basis, size=1.5 * TEXEL, contrast=0.9, balance=balance)  # type: ignore[arg-type]
        assert image(of).mean() == pytest.approx(averaged(of).mean(), abs=0.04)


@pytest.mark.parametrize("basis", BASES)
@pytest.mark.parametrize("octaves", [1, 4, 8])
def test_contrast_and_balance_are_what_they_say(basis: str, octaves: int) -> None:
    shown = image(Noise(basis=basis, octaves=octaves, size=0.02))  # type: ignore[arg-type]
    assert (shown <= 0).mean() < 0.02
    assert (shown >= 1).mean() < 0.02
    assert np.quantile(shown, 0.97) - np.quantile(shown, 0.03) > 0.7
    for balance in (0.0, 0.2, 0.5, 0.9, 1.0):
        bright = (image(Noise(basis=basis, octaves=octaves, size=0.012, balance=balance, contrast=0.8), 1024) > 0.5).mean()  # type: ignore[arg-type]
        assert bright == pytest.approx(balance, abs=0.02)


#: Two plates of one size, the second with a quarter of the texels along each side.
UNEVEN = model_of(
    [[-1, 0, 0], [0, 0, 0], [0, 1, 0], [-1, 1, 0], [0.1, 0, 0], [1.1, 0, 0], [1.1, 1, 0], [0.1, 1, 0]],
    [[0, 1, 2, 3], [4, 5, 6, 7]],
    [[0.0, 0.0], [0.75, 0.0], [0.75, 0.75], [0.0, 0.75], [0.8, 0.8], [0.9875, 0.8], [0.9875, 0.9875], [0.8, 0.9875]],
)


@pytest.mark.parametrize(
    "of",
    [
        Weave(form="stripes", along=(0.7, 0.3, 0.2), softness=0.0),
        Weave(form="checks", along=(0.7, 0.3, 0.2), softness=0.0),
        Spots(),
        Noise(octaves=2),
    ],
    ids=lambda of: type(of).__name__ + getattr(of, "form", ""),
)
def test_each_plate_knows_its_own_texels(of: Noise | Spots | Weave) -> None:
    """A pattern of three texels of the coarse plate is twelve of the fine one; both show what a sheet of four times the texels does."""
    coarse = 1 / 48
    shown = {}
    for side in (256, 1024):
        scene = Scene(UNEVEN, (paint_layer(),), side=side)
        measures = Measures(scene.samples, lambda key: None, scene.cache)
        three = of.model_copy(update={"size": 3 * coarse / scene.model.diagonal})
        values = np.concatenate([measures.pattern(three, c) for c in range(scene.samples.chunk_count)])
        face = np.where(scene.samples.covered, scene.samples.face, -1)
        shown[side] = [scene.samples.to_image(a[:, None])[..., 0] for a in (values / 65535, face)]
    fine, whole = (a.reshape(256, 4, 256, 4) for a in shown[1024])
    for face in (0, 1):
        inside = (whole == face).all(axis=(1, 3)) & (shown[256][1] == face)
        assert inside.sum() > 1500
        assert np.sqrt(np.square(shown[256][0] - fine.mean(axis=(1, 3)))[inside].mean()) < 0.02


def test_no_two_seeds_share_a_lattice() -> None:
    """At the corners of the object's own lattice, where all seeds once were alike, noise is spread as everywhere."""
    at = np.stack(np.meshgrid(*[np.arange(-4, 5)] * 3), axis=-1).reshape(-1, 3).astype(float)
    for seed in range(12):
        turns, shifts, _ = lattices(4, seed)
        for turn, shift in zip(turns, shifts, strict=True):
            corner = at @ turn.T + shift
            off = np.abs(corner - np.rint(corner)).max(axis=1)
            assert off.mean() == pytest.approx(0.375, abs=0.03)
    assert len({tuple(np.round(lattices(1, seed)[1][0], 3)) for seed in range(500)}) == 500


@pytest.mark.parametrize("basis", ["gradient", "value"])
def test_noise_is_alike_on_every_plane(basis: str) -> None:
    """Variance on planes along the axes, at whole and half cells of the object, and aslant: within a twentieth."""
    scene = Scene(square(2.0), (paint_layer(),), side=512)
    spread = []
    for origin, u, v in (
        ((0, 0, 0), (1, 0, 0), (0, 1, 0)),
        ((0, 0, 0.5), (1, 0, 0), (0, 1, 0)),
        ((0, 0.25, 0), (1, 0, 0), (0, 0, 1)),
        ((0.5, 0, 0), (0, 1, 0), (0, 0, 1)),
        ((0, 0, 0), (0.6, 0.8, 0), (0, 0, 1)),
    ):
        samples = scene.samples
        place = samples.positions.astype(np.float64)
        moved = np.array(origin) * 0.01 + place[:, :1] * np.array(u) + place[:, 1:2] * np.array(v)
        values = []
        for seed in range(3):
            measures = Measures(samples, lambda key: None, scene.cache)
            measures._chunk = (
                lambda c, moved=moved, v=v, u=u: (  # type: ignore[method-assign, misc]
                    np.ascontiguousarray(moved[c * 65536 : (c + 1) * 65536], np.float32),
                    np.ascontiguousarray(np.broadcast_to(np.cross(u, v), (65536, 3)), np.float32),
                    np.ones(65536, bool),
                )
            )
            of = Noise(basis=basis, octaves=1, size=0.01 / scene.model.diagonal, contrast=0, seed=seed)  # type: ignore[arg-type]
            values.append(np.concatenate([measures.noise(of, c) for c in range(4)]) / 65535)
        spread.append(np.std(values))
    assert np.ptp(spread) < 0.05 * np.mean(spread)


@settings(max_examples=20, deadline=None)
@given(
    of=st.one_of(
        st.builds(Noise, basis=st.sampled_from(list(BASES)), octaves=st.integers(1, 8), roughness=st.floats(0, 1), size=st.floats(0.0005, 4),
                  contrast=st.floats(-1, 1), balance=st.floats(0, 1), seed=st.integers(0, 2**31 - 1)),
        st.builds(Spots, size=st.floats(0.0005, 4), cover=st.floats(0, 1), variation=st.floats(0, 1), hardness=st.floats(0, 1)),
        st.builds(Weave, form=st.sampled_from(["stripes", "checks", "rings"]), size=st.floats(0.0005, 4), share=st.floats(0, 1),
                  softness=st.floats(0, 1)),
    )
)  # fmt: skip
def test_any_of_them_speaks_on_a_globe(of: Noise | Spots | Weave) -> None:
    scene = Scene(globe(24, 12), (paint_layer(),))
    values_u16 = Measures(scene.samples, lambda key: None, scene.cache).pattern(of, 0)
    assert values_u16.dtype == np.uint16
    assert values_u16[~scene.samples.covered].max(initial=0) == 0
