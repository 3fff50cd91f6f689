"""The Flask application."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from flask import Response, send_from_directory
from flask_openapi3 import Info, OpenAPI

from ruvelt import __version__
from ruvelt.core.brush.hand_tools import hand_tools
from ruvelt.core.brush.settings import PARAMETERS, Brush
from ruvelt.core.brush.target import Paint
from ruvelt.core.brush.tips import GRAINS, TIPS, tip_picture
from ruvelt.core.mesh.readers import READERS
from ruvelt.core.output.asset import asset_writers
from ruvelt.core.output.images import FORMATS
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.output.vertex_writer import vertex_writers
from ruvelt.core.output.writer import writers
from ruvelt.core.samples.resolutions import RESOLUTIONS
from ruvelt.core.stack.blend import modes
from ruvelt.studio.cells import grey_picture
from ruvelt.studio.studio import Studio
from ruvelt.web import adjusting, baking, exporting, masking, outside, painting, projects, reviewing
from ruvelt.web import schemas as s
from ruvelt.web.context import blueprint, install_lending, studio
from ruvelt.web.errors import answer, bad_body, install_errors
from ruvelt.web.guard import install_guard
from ruvelt.web.server import UPLOAD_LIMIT
from ruvelt.web.strict_json import StrictJSON

STATIC = Path(__file__).parent / "static"

LAYER_KINDS = (
    s.KindAnswer(id="paint", name="Paint layer", hint="Holds what you paint by hand"),
    s.KindAnswer(id="fill", name="Fill layer", hint="A value, picture or pattern per channel; shape it with a mask"),
    s.KindAnswer(id="adjust", name="Adjustment layer", hint="Changes the colours and values that lie beneath it"),
    s.KindAnswer(id="group", name="Group", hint="Layers that share a mask, strength and blend mode"),
)
PICK_KINDS = (
    s.KindAnswer(id="sheet", name="Sheet", hint="Everything on the target's sheet"),
    s.KindAnswer(id="part", name="Part", hint="The named part under the pointer"),
    s.KindAnswer(id="material", name="Material", hint="All faces with the material under the pointer"),
    s.KindAnswer(id="group", name="Face group", hint="The face group under the pointer"),
    s.KindAnswer(id="island", name="Island", hint="The UV island under the pointer"),
    s.KindAnswer(id="piece", name="Connected piece", hint="Faces that hang together with the one under the pointer"),
    s.KindAnswer(id="face", name="Face", hint="The single face under the pointer"),
)

api = blueprint("registries")


@api.get("/readiness", responses={200: s.ReadinessAnswer})
def readiness():  # type: ignore[no-untyped-def]
    here = studio()
    making = [s.MakingAnswer(name=j.title, message=j.message, done=j.done, planned=j.planned) for j in here.jobs.running("demo")]
    done, planned = (here.preparing.done, here.preparing.planned) if here.preparing.running else (0, 0)
    return s.ReadinessAnswer(kernels_done=done, kernels_planned=planned, making=making).model_dump()


@api.get("/registries", responses={200: s.Registries})
def registries():  # type: ignore[no-untyped-def]
    return s.Registries(
        version=__version__,
        brush_parameters=list(PARAMETERS),
        brush=Brush(),
        paint=Paint(),
        blend_modes=[s.BlendModeAnswer(id=m.id, name=m.label, kinds=list(m.kinds)) for m in modes().values()],
        layer_kinds=list(LAYER_KINDS),
        stack=masking.stack_registry(),
        pick_kinds=list(PICK_KINDS),
        resolutions=list(RESOLUTIONS),
        presets=studio().presets.all(),
        built_in_presets=[p.id for p in BUILT_IN],
        map_formats=[
            s.MapFormatAnswer(id=w.id, name=w.label, bits=list(w.bits), floats=list(w.floats), lossy=w.lossy, alpha=4 in w.counts)
            for w in writers().values()
        ],
        asset_formats=[s.AssetFormatAnswer(id=w.id, name=w.label) for w in asset_writers().values()],
        vertex_formats=[s.MapFormatAnswer(id=w.id, name=w.label, bits=list(w.bits)) for w in vertex_writers().values()],
        mesh_formats=sorted(READERS),
        beside_formats=[".mtl", ".bin"],
        picture_types=[*(f"image/{name.lower()}" for name in FORMATS), ".exr", ".tga"],
        bake=baking.registry(),
        tools=[t.described() for t in hand_tools().values()],
        tool_settings={t.id: t.first for t in hand_tools().values()},
        tips=[s.TipAnswer(id=t.id, name=t.name, hint=t.hint, relief=t.relief, picture=grey_picture(tip_picture(t.id, 56))) for t in TIPS],
        grains=[s.TipAnswer(id=k, name=name, hint=h, relief=False, picture=grey_picture(tip_picture(k, 56))) for k, (name, h, _) in GRAINS.items()],
    ).model_dump(mode="json")


@cache
def _static_files() -> frozenset[str]:
    """The front end's files by the paths they are asked for with: no path of a request ever reaches the disk."""
    return frozenset(p.relative_to(STATIC).as_posix() for p in STATIC.rglob("*") if p.is_file())


def create_app(here: Studio) -> OpenAPI:
    """The application over a studio. The front end is served from the package, so no Node is needed to run it."""
    app = OpenAPI(
        "ruvelt",
        info=Info(title="Ruvelt", version=__version__),
        validation_error_callback=bad_body,
        validation_error_status=400,
        validation_error_model=s.ErrorAnswer,
        static_folder=None,
        doc_ui=False,
    )
    app.json = StrictJSON(app)
    app.config["MAX_CONTENT_LENGTH"] = UPLOAD_LIMIT
    app.config["MAX_FORM_MEMORY_SIZE"] = 16 << 20
    app.extensions["ruvelt-studio"] = here
    install_guard(app)
    install_errors(app)
    install_lending(app)
    for module in (api, projects.api, baking.api, masking.api, painting.api, exporting.api, adjusting.api, outside.api, reviewing.api):
        app.register_api(module)

    @app.route("/", defaults={"path": ""})
    @app.route("/<path:path>")
    def _front_end(path: str) -> Response:
        if path.startswith("api/"):
            return answer("There is nothing at this address.", 404)
        if path in _static_files():
            return send_from_directory(STATIC, path, max_age=31_536_000 if path.startswith("assets/") else 0)
        if not (STATIC / "index.html").is_file():
            return answer("The front end is not built. Run 'make setup'.", 503)
        return send_from_directory(STATIC, "index.html", max_age=0)

    return app
