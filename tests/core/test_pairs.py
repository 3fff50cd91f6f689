"""Which parts a bake measures against which: by name, and as the artist says."""

from __future__ import annotations

import dataclasses

import numpy as np
from numpy.testing import assert_allclose

from ruvelt.core.bake.mesh_map import SUSPECTS
from ruvelt.core.bake.pairs import Pairing, PartPair
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import MISSED, BakeSource
from tests.core.test_bake import baked, near_neighbours, sheet_of
from tests.meshes import model_of, split_square, square

LOW = ("Lid_low", "body_LP", "Handle_low.001", "Screw_lo")
HIGH = ("lid_high", "Body_hp_a", "body_hp_b", "Handle_high", "Bolt_hi")


def test_names_find_their_partners_and_tell_who_has_none() -> None:
    found = Pairing.of(LOW, HIGH)
    assert found.partners == ((0,), (1, 2), (3,), ())
    assert found.alone == (4,)
    assert not any(found.said)


def test_what_the_artist_says_counts_before_names() -> None:
    pairs = (
        PartPair(low="Screw_lo", high=("Bolt_hi", "lid_high")),
        PartPair(low="Lid_low", to="nothing"),
        PartPair(low="body_LP", to="everything"),
        PartPair(low="Long gone", high=("lid_high",)),
    )
    found = Pairing.of(LOW, HIGH, pairs)
    assert found.partners == ((), None, (3,), (0, 4))
    assert found.said == (True, True, False, True)
    assert found.alone == ()  # Everything is measured for one of them.


def test_where_no_name_fits_everything_is_measured() -> None:
    assert Pairing.of(("Bust",), ("Scan 3",)).partners == (None,)
    assert Pairing.of(("Bust", "Lid_low"), ("Scan 3", "Lid_high")).partners == ((), (1,))


def test_thousands_of_parts_cost_what_they_are() -> None:
    """Each has a scene of its own triangles, found without a look at all the others'."""
    many = 3000
    aside = np.zeros((many, 3))
    aside[:, 0] = np.arange(many)
    corners = np.tile(square(0.01).positions, (many, 1)) + np.repeat(aside, 4, axis=0)
    model = model_of(corners, [[4 * i + k for k in range(4)] for i in range(many)], parts=[f"P{i}" for i in range(many)], face_part=np.arange(many))
    source = BakeSource(model, (model,))
    for part in (0, 1234, many - 1):
        assert source.parts[source.scene_of((part,))[1]].tolist() == [part, part]
    assert source.parts[source.scene_of((5, 9))[1]].tolist() == [5, 5, 9, 9]
    assert source.pairing(BakeSettings()) is source.pairing(BakeSettings(rays=4))


def test_a_part_without_a_partner_is_never_measured_against_everything() -> None:
    _, high = near_neighbours()
    whole = dataclasses.replace(split_square(), parts=("Plate_low",))
    halves = dataclasses.replace(whole, parts=("Plate_low", "Stranger"), face_part=np.array([0, 1], np.int32))
    low = sheet_of(halves)
    settings = {"front": 0.05, "back": 0.05}
    bits = baked(low, "height", high=(high,), **settings)[SUSPECTS]
    stranger = low.covered & (low.face == 1)
    assert stranger.sum() > 1000
    assert (bits[stranger] == MISSED).all()
    # Wanted so, nothing is suspect about it.
    wanted = baked(low, "height", high=(high,), pairs=[{"low": "Stranger", "to": "nothing"}], **settings)
    assert (wanted[SUSPECTS] == 0).all()
    assert_allclose(wanted["height"][stranger], 0.5, atol=1e-5)
    said = [{"low": "Stranger", "high": ["Plate_high"]}]
    told = baked(low, "height", high=(high,), pairs=said, **settings)
    usual = baked(sheet_of(whole), "height", high=(high,), **settings)
    assert np.array_equal(told["height"], usual["height"])
    assert (told[SUSPECTS][stranger] == 0).all()
