"""Whatever the bytes, a reader answers with a model or with words."""

from __future__ import annotations

import os

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.readers import read_mesh
from tests.core.test_readers import triangle_gltf
from tests.meshes import cube_obj

BOX = trimesh.creation.box()
GOOD = {
    "b.obj": cube_obj(),
    "b.glb": BOX.export(file_type="glb"),
    "b.gltf": triangle_gltf(),
    "b.ply": BOX.export(file_type="ply"),
    "b.stl": BOX.export(file_type="stl"),
}


SOUP = ["v 0 0 0", "v 1 0 0", "v 0 1 0", "v nan 1 inf", "vt 0 1", "vt", "f 1 2 3", "f 1/1 2/1 3/1", "f 0 0 0", "f 1//1 2//2 3//3"]
SOUP += ["g a b", "o", "usemtl", "mtllib x.mtl", "f -1 -2 -3", "f 1 1 1 1 1 1", "s 1"]

#: How many changed files of each format an everyday run reads; `make soak` asks for thousands.
FILES = int(os.environ.get("RUVELT_FUZZ_FILES", "60"))


def read_or_words(data: bytes, name: str) -> None:
    try:
        model = read_mesh(data, name)
    except InputError as error:
        assert len(str(error)) > 20
        return
    assert np.isfinite(model.positions).all()
    assert model.triangles.min() >= 0
    assert model.triangles.max() < model.vertex_count


@pytest.mark.parametrize("name", sorted(GOOD))
@settings(max_examples=FILES, deadline=2000, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_changed_bytes(name: str, data: st.DataObject) -> None:
    content = bytearray(GOOD[name])
    for _ in range(data.draw(st.integers(1, 6))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    read_or_words(bytes(content), name)


@pytest.mark.parametrize("name", sorted(GOOD))
@settings(max_examples=40, deadline=None)
@given(share=st.floats(0, 1))
def test_cut_off(name: str, share: float) -> None:
    read_or_words(GOOD[name][: int(len(GOOD[name]) * share)], name)


@settings(max_examples=80, deadline=None)
@given(lines=st.lists(st.sampled_from(SOUP), max_size=25))
def test_obj_line_soup(lines: list[str]) -> None:
    read_or_words("\n".join(lines).encode(), "soup.obj")
