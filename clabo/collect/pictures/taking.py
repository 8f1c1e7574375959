"""Has a page's pictures taken by the browser's process, and reads them."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from io import BytesIO
from pathlib import Path
from typing import Any

import imagehash
from django.conf import settings
from PIL import Image

from clabo.collect.events.models import Page
from clabo.core.pages.addresses import host_of
from clabo.core.pages.picture_change import TILE_HEIGHT, TILE_WIDTH, Tile
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import origin_of, tag_origin

MOST_SECONDS = 60
SMALL = (480, 300)
SMALL_BYTES = 20_000
_QUALITY = 72


@dataclass(frozen=True, slots=True)
class Shot:
    """One picture: WebP bytes, its height in pixels of the page, and its tiles."""

    width: str
    height: int
    cut: bool
    whole: bytes
    small: bytes
    tiles: list[list[Tile]]


@dataclass(frozen=True, slots=True)
class Taken:
    """A look at a page: its shots, or a code why there are none and more on it; and the hosts that were left out."""

    shots: list[Shot] = field(default_factory=list)
    reason: str = ""
    more: str = ""
    left_out: list[str] = field(default_factory=list)
    # Addresses on the site's own hosts that the page links to.
    links: list[str] = field(default_factory=list)


def take(site: Site, page: Page, html: str | None = None) -> Taken:
    """Pictures of the page at both widths; of `html` in its place where that is given."""
    with tempfile.TemporaryDirectory(prefix="clabo-pictures-") as folder:
        found = _opened(site, page.host, page.path, {"html": html, "folder": folder})
        return Taken(
            [_read(s) for s in found["shots"]],
            found["reason"],
            found["more"],
            found.get("left_out", []),
            found.get("links", []),
        )


@dataclass(frozen=True, slots=True)
class Met:
    """By width, whether there is an element for each selector; or a code why nobody knows, and more on it."""

    by_width: dict[str, list[bool]] = field(default_factory=dict)
    reason: str = ""
    more: str = ""


def met(site: Site, host: str, path: str, selectors: Sequence[tuple[str, str]]) -> Met:
    """Whether a page has an element for each of these selectors, or for what is to be asked in its place ("": nothing)."""
    with tempfile.TemporaryDirectory(prefix="clabo-elements-") as folder:
        wanted = {"selectors": list(selectors), "pictures": False, "folder": folder}
        found = _opened(site, host, path, wanted)
    return Met({s["width"]: s["met"] for s in found["shots"]}, found["reason"], found["more"])


def _opened(site: Site, host: str, path: str, wanted: dict[str, Any]) -> dict[str, Any]:
    """What the browser's process says of a page of the site; `wanted` beside what it always needs."""
    if not Path(settings.CLABO_CHROMIUM).exists():
        return {"reason": "no_browser", "more": settings.CLABO_CHROMIUM, "shots": []}
    origin = origin_of(site, host)
    hosts = {h.host for h in site.hosts.all()}
    if host_of(origin) not in hosts:
        return {"reason": "elsewhere", "more": host, "shots": []}
    return _in_browser(
        {
            "url": origin + path,
            "hosts": sorted(hosts),
            "local": list(settings.CLABO_LOCAL_ORIGINS) if site.is_demo else [],
            "tag_origin": tag_origin(),
            "zone": str(site.zone),
            "locale": "en",
            "html": None,
            "selectors": [],
            "pictures": True,
            "chromium": settings.CLABO_CHROMIUM,
            **wanted,
        }
    )


def _in_browser(wanted: dict[str, Any]) -> dict[str, Any]:
    """What the process answers; it and all that it has started are ended after MOST_SECONDS."""
    # Of this process's surroundings the browser needs a path and a home, and no secret.
    surroundings = {k: v for k, v in os.environ.items() if k in ("PATH", "LANG", "TMPDIR")}
    process = subprocess.Popen(
        [sys.executable, "-m", "clabo.collect.pictures.browser"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        cwd=settings.BASE_DIR,
        env={**surroundings, "HOME": wanted["folder"]},
        start_new_session=True,
    )
    try:
        out, _ = process.communicate(json.dumps(wanted).encode(), timeout=MOST_SECONDS)
        return dict(json.loads(out))
    except subprocess.TimeoutExpired:
        return {"reason": "too_slow", "more": "", "shots": []}
    except ValueError:
        return {"reason": "broke_off", "more": "", "shots": []}
    finally:
        _end(process)


def _end(process: subprocess.Popen[bytes]) -> None:
    with suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def _read(shot: dict[str, Any]) -> Shot:
    with Image.open(shot["file"]) as opened:
        image = opened.convert("RGB")
    return Shot(
        shot["width"], shot["height"], shot["cut"], _webp(image, _QUALITY), small_of(image), tiles_of(image)
    )


def small_of(image: Image.Image) -> bytes:
    """The top of the page, in at most SMALL_BYTES."""
    high = round(image.width * SMALL[1] / SMALL[0])
    top = image.crop((0, 0, image.width, min(high, image.height)))
    top = top.resize((SMALL[0], round(top.height * SMALL[0] / top.width)), Image.Resampling.LANCZOS)
    for quality in (_QUALITY, 50, 30, 15):
        made = _webp(top, quality)
        if len(made) <= SMALL_BYTES:
            return made
    return _webp(top.resize((top.width // 2, top.height // 2)), 15)


def _webp(image: Image.Image, quality: int) -> bytes:
    out = BytesIO()
    image.save(out, "WEBP", quality=quality, method=4)
    return out.getvalue()


def tiles_of(image: Image.Image) -> list[list[Tile]]:
    """A perceptual hash (of the discrete cosine transform, imagehash.phash) and the mean colour of each tile."""
    rows = []
    for top in range(0, image.height, TILE_HEIGHT):
        row = []
        for left in range(0, image.width, TILE_WIDTH):
            tile = image.crop(
                (left, top, min(left + TILE_WIDTH, image.width), min(top + TILE_HEIGHT, image.height))
            )
            mean = tile.resize((1, 1), Image.Resampling.BOX).getpixel((0, 0))
            red, green, blue = mean if isinstance(mean, tuple) else (0, 0, 0)
            row.append(Tile(_hash(tile), (int(red), int(green), int(blue))))
        rows.append(row)
    return rows


def _hash(tile: Image.Image) -> int:
    # Of one colour: the transform would be rounding errors, which differ for nothing.
    if all(low == high for low, high in tile.getextrema()):  # type: ignore[misc]  # of RGB: pairs
        return 0
    return int(str(imagehash.phash(tile, hash_size=16)), 16)
