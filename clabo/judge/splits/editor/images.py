"""Pictures that Clabo keeps for variants: taken in by a member, drawn anew, and given to whoever opens the page."""

from __future__ import annotations

import hashlib
import os
import re
import subprocess
import sys
import threading

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse

from clabo.judge.splits.editor import image_reader
from clabo.judge.splits.models import KeptPicture
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import tag_origin

MOST_BYTES = 5_000_000
# Of one site.
MOST_PICTURES = 500
# Of the clock; the processor's time is limited besides (picture_reader.py). So many are drawn at once.
MOST_SECONDS = 15.0
_drawing = threading.BoundedSemaphore(2)
_NAME = re.compile(r"[0-9a-f]{64}")


def store_image(site: Site, data: bytes) -> str:
    """Keep a picture and return its address; raises Problem.

    It is drawn anew as WebP: what a file holds besides the picture does not come along.
    """
    if len(data) > MOST_BYTES:
        raise Problem(
            f"The picture has more than {MOST_BYTES // 1_000_000} MB. Make it smaller first.", "picture", 413
        )
    made = _drawn_anew(data)
    name = hashlib.sha256(made).hexdigest()
    if not KeptPicture.objects.filter(site=site, name=name).exists():
        if KeptPicture.objects.filter(site=site).count() >= MOST_PICTURES:
            raise Problem(f"A site keeps at most {MOST_PICTURES} pictures for its tests.", "picture", 409)
        KeptPicture.objects.get_or_create(site=site, name=name, defaults={"data": made})
    return f"{tag_origin()}/kept/{name}.webp"


def _drawn_anew(data: bytes) -> bytes:
    # Nothing of the server's secrets is in what reads a file of somebody else's.
    environment = {"PATH": os.defpath, "PYTHONPATH": str(settings.BASE_DIR)}
    command = [sys.executable, "-m", "clabo.judge.splits.editor.image_reader"]
    with _drawing:
        try:
            done = subprocess.run(
                command, input=data, capture_output=True, env=environment, timeout=MOST_SECONDS, check=False
            )
        except subprocess.TimeoutExpired:
            raise _too_large() from None
    if done.returncode == 0:
        return done.stdout
    if done.returncode == image_reader.UNREADABLE:
        raise Problem("This is no picture that can be read. Send a PNG, JPEG, WebP or GIF.", "picture", 415)
    raise _too_large()


def _too_large() -> Problem:
    return Problem("The picture has too many pixels. Make it smaller first.", "picture", 413)


def serve_image(_request: HttpRequest, name: str) -> HttpResponse:
    """A picture, for the pages that show it; what its name says never changes."""
    found = KeptPicture.objects.filter(name=name).first() if _NAME.fullmatch(name) else None
    if found is None:
        raise Http404
    answer = HttpResponse(bytes(found.data), content_type="image/webp")
    answer["cache-control"] = "public, max-age=31536000, immutable"
    answer["access-control-allow-origin"] = "*"
    answer["cross-origin-resource-policy"] = "cross-origin"
    return answer
