"""What makes an app of it on a paired device: its manifest, and the worker that keeps what was seen."""

import json

from fastapi.responses import JSONResponse, Response

from lumbrel import __version__
from lumbrel.web.shell.caller import PUBLIC
from lumbrel.web.shell.render import STATIC, WEB
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.words import _, language

router = RoomRoutes()
FONT = "vendor/atkinson/atkinson-hyperlegible-next-latin-wght-normal.woff2"
ALSO_KEPT = (
    "js/theme.js",
    "vendor/alpine/alpine-csp.min.js",
    "vendor/uplot/uPlot.iife.min.js",
    "vendor/uplot/uPlot.min.css",
    FONT,
    "img/lumbrel.svg",
    "img/chevron.svg",
    "img/icon-192.png",
)


@router.get("/manifest.webmanifest")
@least(PUBLIC)
def manifest() -> Response:
    """What an installed app is called and looks like."""
    icons = [
        {"src": f"{STATIC}/img/icon-{size}.png", "sizes": f"{size}x{size}", "type": "image/png"}
        for size in (192, 512)
    ]
    icons.append({**icons[-1], "purpose": "maskable"})
    shown = {
        "name": "Lumbrel",
        "short_name": "Lumbrel",
        "description": _("The syrup finisher's bench."),
        "start_url": "/",
        "scope": "/",
        "display": "standalone",
        "background_color": "#ece9df",
        "theme_color": "#ece9df",
        "icons": icons,
    }
    return JSONResponse(shown, media_type="application/manifest+json")


@router.get("/sw.js")
@least(PUBLIC)
def worker() -> Response:
    """The worker, told its version and the files of the shell."""
    bundle = sorted(path.name for path in (WEB / "static" / "bundle").iterdir())
    shell = [*(f"{STATIC}/bundle/{name}" for name in bundle), *(f"{STATIC}/{f}" for f in ALSO_KEPT)]
    gone, new = _("No connection to the kitchen"), _("This page was not opened here before.")
    known = {
        "VERSION": __version__,
        "SHELL": shell,
        "LANGUAGE": language().key,
        "NOT_KEPT": f"<h1>{gone}</h1><p>{new}",
        "THESE_WERE": str(_("Kept pages:")),
    }
    told = "".join(f"const {name} = {json.dumps(value)};\n" for name, value in known.items())
    script = (WEB / "static" / "js" / "worker.js").read_text(encoding="utf-8")
    return Response(told + script, media_type="text/javascript")
