"""Kernels are compiled anew when what they are made of changed, and only then."""

from __future__ import annotations

import re

import pytest

from ruvelt.core import warming
from ruvelt.core.kernels import LATE


def test_a_change_reaches_what_is_made_of_it(monkeypatch: pytest.MonkeyPatch) -> None:
    before, sources = warming.digests(), warming._sources()

    def changed(name: str) -> set[str]:
        monkeypatch.setattr(warming, "_sources", lambda: {**sources, name: sources[name] + "\n# changed"})
        return {module for module, digest in warming.digests().items() if before[module] != digest}

    # Helpers of dabs become part of rich dabs and of nothing that bakes; a constant of its own file's kernels; what all are compiled by, of all.
    assert {"brush._dab_kernels", "brush._rich_kernels"} <= changed("brush._dab_kernels")
    assert not {m for m in changed("brush._dab_kernels") if m.startswith(("bake.", "mesh."))}
    assert "brush._dab_kernels" in changed("tolerances")
    assert changed("kernels") == set(before)
    assert changed("errors") == set()


def test_stale_caches_are_deleted_and_others_stay(tmp_path, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    (tmp_path / "a" / "__pycache__").mkdir(parents=True)
    head = "from ruvelt.core.kernels import kernel\n"
    (tmp_path / "kernels.py").write_text("")
    (tmp_path / "a" / "_one_kernels.py").write_text(head + "@kernel(1)\ndef one(): ...\n")
    (tmp_path / "a" / "_two_kernels.py").write_text(head + "from ruvelt.core.a._one_kernels import one\n@kernel(1)\ndef two(): ...\n")
    (tmp_path / "a" / "_three_kernels.py").write_text(head + "@kernel(1)\ndef three(): ...\n")
    monkeypatch.setattr(warming, "CORE", tmp_path)
    held = [tmp_path / "a" / "__pycache__" / f"_{n}_kernels.{n}-1.py311.{end}" for n in ("one", "two", "three") for end in ("nbi", "1.nbc")]

    def left() -> list[str]:
        return sorted({re.sub(r"^_(\w+)_kernels.*", r"\1", path.name) for path in held if path.exists()})

    for path in held:
        path.touch()
    assert warming.forget_stale() == 3
    assert left() == []
    for path in held:
        path.touch()
    assert warming.forget_stale() == 0
    assert left() == ["one", "three", "two"]
    (tmp_path / "a" / "_one_kernels.py").write_text(head + "@kernel(1)\ndef one(): pass\n")
    assert warming.forget_stale() == 2
    assert left() == ["three"]


def test_every_kernel_of_the_core_is_found() -> None:
    with_kernels = {name for name, text in warming._sources().items() if "@kernel(" in text and name not in ("kernels", "warming")}
    assert with_kernels == set(warming.digests())
    assert LATE not in __import__("os").environ
