"""Named versions brought back, and what turns one set of planes into another."""

from __future__ import annotations

from collections.abc import Mapping

from ruvelt.core.planes.plane import Plane
from ruvelt.core.stack.edits import ReplaceDocument
from ruvelt.store.project_store import Changes
from ruvelt.studio.session import Session


def restore_version(session: Session, number: int, revision: int | None = None) -> str:
    """Bring a named version back as a new step, so that it can be undone like any other."""
    with session.lock:
        session.check_revision(revision)
        name, document, planes = session.store.version_state(number)
        changes = difference(session.store.planes, planes)
        components = {p: plane.components for p, plane in planes.items()}
        session.store.commit(f"Back to {name}", edit=ReplaceDocument(document=document), changes=changes, components=components)
        return name


def difference(old: Mapping[str, Plane], new: Mapping[str, Plane]) -> Changes:
    """What turns one set of planes into another."""
    changes: dict[str, dict[int, str | None]] = {}
    for name in {*old, *new}:
        before = dict(old[name].chunks) if name in old else {}
        after = dict(new[name].chunks) if name in new else {}
        changed = {c: after.get(c) for c in {*before, *after} if before.get(c) != after.get(c)}
        if changed:
            changes[name] = changed
    return changes
