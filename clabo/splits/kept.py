"""Pictures that Clabo keeps for variants: taken in by a member, drawn anew, and given to whoever opens the page."""

from __future__ import annotations

import hashlib
import re
from io import BytesIO

from django.http import Http404, HttpRequest, HttpResponse
from PIL import Image, ImageOps, UnidentifiedImageError

from clabo.problems import Problem
from clabo.sites.models import Site
from clabo.sites.reach import tag_origin
from clabo.splits.models import KeptPicture

MOST_BYTES = 5_000_000
# Of one site.
MOST_PICTURES = 500
# No wider or higher than that: a page shows none larger, and none may unfold to more than memory holds.
MOST_SIDE, MOST_PIXELS = 2400, 40_000_000
_FORMATS = ("PNG", "JPEG", "WEBP", "GIF")
_NAME = re.compile(r"[0-9a-f]{64}")


def keep_picture(site: Site, data: bytes) -> str:
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
    try:
        with Image.open(BytesIO(data), formats=_FORMATS) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise Problem("The picture has too many pixels. Make it smaller first.", "picture", 413)
            image = ImageOps.exif_transpose(opened)
            image = image.convert("RGBA" if image.has_transparency_data else "RGB")
            image.thumbnail((MOST_SIDE, MOST_SIDE), Image.Resampling.LANCZOS)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Problem(
            "This is no picture that can be read. Send a PNG, JPEG, WebP or GIF.", "picture", 415
        ) from None
    out = BytesIO()
    image.save(out, "WEBP", quality=85, method=4)
    return out.getvalue()


def kept(_request: HttpRequest, name: str) -> HttpResponse:
    """A picture, for the pages that show it; what its name says never changes."""
    found = KeptPicture.objects.filter(name=name).first() if _NAME.fullmatch(name) else None
    if found is None:
        raise Http404
    answer = HttpResponse(bytes(found.data), content_type="image/webp")
    answer["cache-control"] = "public, max-age=31536000, immutable"
    answer["access-control-allow-origin"] = "*"
    answer["cross-origin-resource-policy"] = "cross-origin"
    return answer
