"""Decodes one picture that somebody sent, in a process that may fail: with a bound of memory and of the
processor's time, and nothing but the picture in reach.

    python -m lumbrel.services.base.picture_process photograph|logo  <picture  >picture

It prints the picture made anew, small and plain; or ends with the code of why it did not.
"""

import io
import resource
import sys
from contextlib import suppress

MOST_BYTES_OF_MEMORY, MOST_CPU_SECONDS = 400 * 2**20, 10
TOO_FINE, NO_COLOURS, NOT_ONE = 3, 4, 5
"""Exit codes: too many pixels, without colours, none of the formats that are offered."""
PHOTOGRAPHS = ("PNG", "JPEG", "WEBP")
MOST_PIXELS = {"JPEG": 60_000_000, "PNG": 24_000_000, "WEBP": 16_000_000}
"""A JPEG is read smaller than it is; of the others each pixel is made."""
KEPT_SIDE_PX, KEPT_QUALITY = 1280, 88
COLOURED = ("RGB", "RGBA", "P", "CMYK", "YCbCr", "PA", "RGBX")
LOGO_MOST_PIXELS, LOGO_SIDE_PX, LOGO_COLOURS = 16_000_000, 480, 64


class TooFine(Exception):
    """It has more pixels than there is room for."""


def main() -> None:
    """Decode what comes in, by the kind that the command names."""
    for what, most in (
        (resource.RLIMIT_AS, MOST_BYTES_OF_MEMORY),
        (resource.RLIMIT_CPU, MOST_CPU_SECONDS),
        (resource.RLIMIT_FSIZE, 0),
        (resource.RLIMIT_CORE, 0),
    ):
        resource.setrlimit(what, (most, most))
    made = {"photograph": _photograph, "logo": _logo}[sys.argv[1]]
    try:
        sys.stdout.buffer.write(made(sys.stdin.buffer.read()))
    except (MemoryError, TooFine):
        sys.exit(TOO_FINE)
    except Exception:  # whatever a file may do to its reader, it is no picture then
        sys.exit(NOT_ONE)


def _webp_pixels(content: bytes) -> int:
    """How many pixels a WebP says that it has, by its first chunk (RFC 9649); 0 where it does not say. Its
    reader takes room for all of them as soon as it is opened."""
    chunk, data = content[12:16], content[20:30]
    if content[:4] != b"RIFF" or content[8:12] != b"WEBP" or len(data) < 10:
        return 0
    if chunk == b"VP8X":
        wide, high = (int.from_bytes(data[i : i + 3], "little") + 1 for i in (4, 7))
    elif chunk == b"VP8L":
        bits = int.from_bytes(data[1:5], "little")
        wide, high = (bits & 0x3FFF) + 1, (bits >> 14 & 0x3FFF) + 1
    else:
        wide, high = (int.from_bytes(data[i : i + 2], "little") & 0x3FFF for i in (6, 8))
    return wide * high


def _photograph(content: bytes) -> bytes:
    """Upright, in standard colours, small, with nothing of what else its camera wrote."""
    from PIL import Image, ImageCms, ImageOps

    Image.MAX_IMAGE_PIXELS = None  # counted here, by format
    if _webp_pixels(content) > MOST_PIXELS["WEBP"]:
        raise TooFine
    with Image.open(io.BytesIO(content), formats=PHOTOGRAPHS) as opened:
        assert opened.format is not None
        pixels = opened.width * opened.height
        if pixels > MOST_PIXELS[opened.format]:
            raise TooFine
        if opened.mode not in COLOURED:
            sys.exit(NO_COLOURS)
        # Twice as large as it is kept is fine enough, and needs little room; a JPEG is read so at once.
        opened.draft("RGB", (2 * KEPT_SIDE_PX, 2 * KEPT_SIDE_PX))
        try:
            picture = opened.convert("RGB") if opened.mode in ("P", "PA") else opened
            picture.thumbnail((2 * KEPT_SIDE_PX, 2 * KEPT_SIDE_PX), Image.Resampling.BOX)
        except OSError as error:
            # What is short of room says no more than what is damaged.
            if pixels > MOST_PIXELS["WEBP"]:
                raise TooFine from error
            raise
        picture = ImageOps.exif_transpose(picture)
    profile = picture.info.get("icc_profile")
    plain = picture.convert("RGB") if picture.mode != "CMYK" or not profile else picture
    if profile:
        with suppress(ImageCms.PyCMSError, OSError):
            source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
            target = ImageCms.createProfile("sRGB")
            plain = ImageCms.profileToProfile(plain, source, target, outputMode="RGB") or plain
    plain = plain.convert("RGB")
    plain.thumbnail((KEPT_SIDE_PX, KEPT_SIDE_PX), Image.Resampling.BOX)
    # Comments and profiles go by what a picture carries with it: this one carries nothing.
    plain.info.clear()
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=KEPT_QUALITY, subsampling=0)
    return out.getvalue()


def _logo(content: bytes) -> bytes:
    """A PNG made anew, in few colours."""
    from PIL import Image

    with Image.open(io.BytesIO(content), formats=("PNG",)) as opened:
        if opened.width * opened.height > LOGO_MOST_PIXELS:
            raise TooFine
        picture = opened.convert("RGBA")
    picture.thumbnail((LOGO_SIDE_PX, LOGO_SIDE_PX))
    picture.info.clear()
    out = io.BytesIO()
    picture.quantize(LOGO_COLOURS).save(out, "PNG", optimize=True)
    return out.getvalue()


if __name__ == "__main__":
    main()
