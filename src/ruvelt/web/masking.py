"""Routes of masks and fills: their pictures, copies, and small looks at every step."""

from __future__ import annotations

from flask_openapi3 import APIBlueprint

from ruvelt.core.stack import registry as kinds
from ruvelt.core.stack.adjust import BlurAdjust, HsvAdjust, LevelsAdjust
from ruvelt.core.stack.fields import Noise, Projection, Spots, Weave
from ruvelt.core.stack.masks import Shaper, Source
from ruvelt.studio.masks import add_image, copy_mask, mask_pictures
from ruvelt.web import schemas as s
from ruvelt.web.context import blueprint, session_of
from ruvelt.web.projects import state_of
from ruvelt.web.uploads import form_body, uploaded_picture

api: APIBlueprint = blueprint("masking")


def stack_registry() -> s.StackRegistry:
    """What the interface lays out for layers and masks."""
    steps = {m.model_fields["kind"].default: m(id="new") for m in (*Source.__args__, *Shaper.__args__)}
    return s.StackRegistry(
        sources=list(kinds.with_needs(kinds.SOURCES)),
        shapers=list(kinds.SHAPERS),
        contents=list(kinds.CONTENTS),
        patterns=list(kinds.PATTERNS),
        adjustments=list(kinds.ADJUSTMENTS),
        first_steps=steps,
        first_patterns={"noise": Noise(), "spots": Spots(), "weave": Weave()},
        first_adjustments={"levels": LevelsAdjust(), "hsv": HsvAdjust(), "blur": BlurAdjust()},
        projection=Projection(),
    )


@api.post("/projects/<uid>/images", responses={200: s.ImageAnswer})
@form_body("a picture for masks and fills")
def bring_image(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, a picture for masks and fills."""
    name, image = uploaded_picture("Choose a picture.")
    return {"image": add_image(session_of(path.uid), image, name)}


@api.post("/projects/<uid>/copy-mask", responses={200: s.ProjectState})
def copy(path: s.ProjectPath, body: s.CopyMaskBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    copy_mask(session, body.sheet, body.source, body.layer, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/mask-pictures", responses={200: s.PicturesAnswer})
def pictures(path: s.ProjectPath, body: s.MaskPicturesBody):  # type: ignore[no-untyped-def]
    """Small looks at a layer's mask ("") and each of its sources, as PNG data URLs; with `edit` as they would be after it."""
    return {"pictures": mask_pictures(session_of(path.uid), body.sheet, body.layer, body.edit)}
