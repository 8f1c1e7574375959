"""A process of its own that draws somebody's picture anew: `python -m …`, the file on standard input, WebP on standard output.

Whatever the file does to what decodes it ends with this process: time and memory are limited before it is opened, and
pixels are counted before any is decoded. It ends with the number of what is wrong (REASONS).
"""

from __future__ import annotations

import resource
import sys
from io import BytesIO

from PIL import Image, ImageOps, UnidentifiedImageError

# No wider or higher than that: a page shows none larger.
MOST_SIDE = 2400
# Of a JPEG, which is decoded at a fraction of its size where it is larger; and of others.
MOST_JPEG_PIXELS, MOST_PIXELS = 60_000_000, 16_000_000
SECONDS, MEMORY = 6, 1 << 30
FORMATS = ("PNG", "JPEG", "WEBP", "GIF")
UNREADABLE, TOO_LARGE = 3, 4


def draw(data: bytes) -> bytes:
    """The picture as WebP: what the file holds besides it does not come along. Raises SystemExit with the reason."""
    try:
        with Image.open(BytesIO(data), formats=FORMATS) as opened:
            most = MOST_JPEG_PIXELS if opened.format == "JPEG" else MOST_PIXELS
            if opened.width * opened.height > most:
                raise SystemExit(TOO_LARGE)
            # The least of 1, 1/2, 1/4, 1/8 of its size that is no smaller than what is kept.
            opened.draft("RGB", (MOST_SIDE, MOST_SIDE))
            image = ImageOps.exif_transpose(opened)
            image = image.convert("RGBA" if image.has_transparency_data else "RGB")
            image.thumbnail((MOST_SIDE, MOST_SIDE), Image.Resampling.LANCZOS)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError):
        raise SystemExit(UNREADABLE) from None
    except (Image.DecompressionBombError, MemoryError):
        raise SystemExit(TOO_LARGE) from None
    out = BytesIO()
    image.save(out, "WEBP", quality=85, method=3)
    return out.getvalue()


def main() -> None:
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS + 1))
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    Image.MAX_IMAGE_PIXELS = MOST_JPEG_PIXELS
    sys.stdout.buffer.write(draw(sys.stdin.buffer.read()))


if __name__ == "__main__":
    main()
