"""Routes of masks and fills: their pictures, copies, and small looks at every step."""

from __future__ import annotations

from flask_openapi3 import APIBlueprint

from ruvelt.core.stack import contents, masks
from ruvelt.core.stack.adjustments import ADJUSTMENTS
from ruvelt.core.stack.fields import Noise, Projection, Spots, Weave
from ruvelt.core.stack.kinds.controls import PATTERNS
from ruvelt.studio.masks import add_image, copy_mask, mask_pictures
from ruvelt.web import schemas as s
from ruvelt.web.context import blueprint, session_of
from ruvelt.web.projects import state_of
from ruvelt.web.uploads import form_body, uploaded_picture

api: APIBlueprint = blueprint("masking")


def stack_registry() -> s.StackRegistry:
    """What the interface lays out for layers and masks."""
    steps = (*masks.SOURCES, *masks.SHAPERS)
    return s.StackRegistry(
        sources=[k.described() for k in masks.SOURCES if not k.hidden],
        shapers=[k.described() for k in masks.SHAPERS if not k.hidden],
        contents=[contents.VALUE, *(k.described() for k in contents.CONTENTS if not k.hidden)],
        patterns=list(PATTERNS),
        adjustments=[k.described() for k in ADJUSTMENTS if not k.hidden],
        first_steps={k.kind_id(): k(id="new") for k in steps},
        first_contents={k.kind_id(): k() for k in contents.CONTENTS if not any(f.is_required() for f in k.model_fields.values())},
        first_patterns={"noise": Noise(), "spots": Spots(), "weave": Weave()},
        first_adjustments={k.kind_id(): k() for k in ADJUSTMENTS},
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
