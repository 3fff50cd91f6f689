"""Edits tried before they are taken."""

from __future__ import annotations

from ruvelt.core.errors import InputError
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.stack.edits import AnyEdit, SetLayer, apply_edit, check_alone, check_modes, for_showing
from ruvelt.core.stack.wholeness import check_document
from ruvelt.studio.session import Session


def trial(session: Session, sheet_id: str, edit: AnyEdit) -> SheetDisplay:
    """A sheet as it would be after an edit that is not taken: what a slider shows while it is dragged."""
    with session.lock:
        check_alone(edit)
        check_modes(session.document, edit)
        document, _ = apply_edit(session.document, for_showing(session.document, edit))
        check_document(document, len(session.plans))
        sheet = document.sheet(sheet_id)
        if sheet is None or sheet.resolution != session.sheet(sheet_id).resolution:
            raise InputError("Only changes of layers can be tried before they are taken.")
        display = session.sheets.display_of(document, sheet)
        if isinstance(edit, SetLayer):
            display.evaluator.changing = edit.layer
        return display
