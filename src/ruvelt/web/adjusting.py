"""Routes of adjustments and variants: what lies beneath, what ranges catch, merging, presets, and looks of variants."""

from __future__ import annotations

import numpy as np
from flask_openapi3 import APIBlueprint

from ruvelt.core.stack.adjust_preset import AdjustPreset
from ruvelt.studio import adjusting
from ruvelt.studio.merging import merge_down
from ruvelt.studio.variants import kept_looks, look_at, variant_facts
from ruvelt.web import schemas as s
from ruvelt.web.context import blueprint, session_of, studio
from ruvelt.web.projects import state_of

api: APIBlueprint = blueprint("adjusting")


@api.post("/projects/<uid>/histogram", responses={200: s.HistogramAnswer})
def histogram(path: s.ProjectPath, body: s.HistogramBody):  # type: ignore[no-untyped-def]
    """How often each of 256 values lies beneath a layer: in what a view shows, on picked faces, or everywhere."""
    found = adjusting.histogram(session_of(path.uid), body.sheet, body.layer, body.channel, body.camera, body.picks or ())
    return s.HistogramAnswer(bins=found).model_dump()


@api.post("/projects/<uid>/colour-beneath", responses={200: s.ColourAnswer})
def colour_beneath(path: s.ProjectPath, body: s.ColourBeneathBody):  # type: ignore[no-untyped-def]
    """The mean colour beneath a layer at pixels of a view, or at texels of the sheet."""
    points = np.array(body.points, np.float64).reshape(-1, 2)
    return {"colour": adjusting.mean_read(session_of(path.uid), body.sheet, body.layer, body.camera, points)}


@api.post("/projects/<uid>/measure", responses={200: s.MeasureAnswer})
def measure(path: s.ProjectPath, body: s.MeasureBody):  # type: ignore[no-untyped-def]
    """Figures of what lies beneath an adjustment, and of a layer or picture to match."""
    found = adjusting.measured(session_of(path.uid), body.sheet, body.layer, goal_layer=body.goal_layer, goal_picture=body.goal_picture)
    return s.MeasureAnswer(**found).model_dump()


@api.post("/projects/<uid>/catch-mask", responses={200: s.LayerAnswer})
def catch_mask(path: s.ProjectPath, body: s.CatchBody):  # type: ignore[no-untyped-def]
    """A new paint layer with what a range catches as its mask; an empty range stands for all of them."""
    return {"layer": adjusting.catch_to_mask(session_of(path.uid), body.sheet, body.layer, body.range, body.revision)}


@api.post("/projects/<uid>/catch-group", responses={200: s.ProjectState})
def catch_group(path: s.ProjectPath, body: s.CatchBody):  # type: ignore[no-untyped-def]
    """Keep the faces that a range catches as a face group."""
    session = session_of(path.uid)
    adjusting.catch_to_group(session, body.sheet, body.layer, body.range, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/merge-down", responses={200: s.LayerAnswer})
def merge(path: s.ProjectPath, body: s.MergeBody):  # type: ignore[no-untyped-def]
    return {"layer": merge_down(session_of(path.uid), body.sheet, body.layer, body.revision)}


@api.get("/adjustment-presets", responses={200: s.AdjustPresetsAnswer})
def presets():  # type: ignore[no-untyped-def]
    return s.AdjustPresetsAnswer(presets=studio().adjustments.all()).model_dump(mode="json")


@api.post("/adjustment-presets", responses={200: s.AdjustPresetsAnswer})
def keep_preset(body: AdjustPreset):  # type: ignore[no-untyped-def]
    studio().adjustments.save(body)
    return s.AdjustPresetsAnswer(presets=studio().adjustments.all()).model_dump(mode="json")


@api.delete("/adjustment-presets/<preset>", responses={200: s.AdjustPresetsAnswer})
def forget_preset(path: s.AdjustPresetPath):  # type: ignore[no-untyped-def]
    studio().adjustments.delete(path.preset)
    return s.AdjustPresetsAnswer(presets=studio().adjustments.all()).model_dump(mode="json")


@api.post("/projects/<uid>/variants/show", responses={200: s.ProjectState})
def show_variant(path: s.ProjectPath, body: s.ShowVariantBody):  # type: ignore[no-untyped-def]
    """Show a variant, or the base; no step of history."""
    session = session_of(path.uid)
    session.show_variant(body.variant)
    return state_of(session)


@api.get("/projects/<uid>/variants", responses={200: s.VariantsAnswer})
def variants(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Kept looks at the base ("") and at variants, and how much of each waits for layers that are gone."""
    session = session_of(path.uid)
    return {"pictures": kept_looks(session), "waiting": variant_facts(session)}


@api.post("/projects/<uid>/variants/look", responses={200: s.LookAnswer})
def look(path: s.ProjectPath, body: s.LookBody):  # type: ignore[no-untyped-def]
    """A look at one variant, or at the base, made now."""
    return {"picture": look_at(session_of(path.uid), body.variant or "")}


@api.post("/projects/<uid>/variants/as-project", responses={200: s.ProjectIdAnswer})
def variant_as_project(path: s.ProjectPath, body: s.VariantProjectBody):  # type: ignore[no-untyped-def]
    return {"uid": studio().copy_variant(path.uid, body.variant, body.name)}
