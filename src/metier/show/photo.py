"""A photo as a part of a page: small enough to send, the right way up, and without what a phone
writes into it."""

from base64 import b64encode
from io import BytesIO

from metier.core.errors import BadInput
from metier.packages import PHOTOS, require
from metier.show.page import Element, element

_LONGEST_SIDE, _QUALITY = 1280, 82


def photo_figure(path: str, caption: str) -> Element:
    """Return a photo with its caption.

    Raises:
        BadInput: it is gone, or no picture.
        NotInstalled: nothing reads photos.
    """
    require(PHOTOS)
    from PIL import Image, ImageOps, UnidentifiedImageError

    small = BytesIO()
    try:
        with Image.open(path, formats=("JPEG", "PNG", "WEBP", "GIF", "BMP", "TIFF")) as photo:
            photo.draft("RGB", (_LONGEST_SIDE, _LONGEST_SIDE))
            upright = ImageOps.exif_transpose(photo)
            upright.thumbnail((_LONGEST_SIDE, _LONGEST_SIDE))
            upright.convert("RGB").save(small, "JPEG", quality=_QUALITY)
    except FileNotFoundError:
        raise BadInput(f"there is no file {path}") from None
    except (UnidentifiedImageError, Image.DecompressionBombError, ValueError, SyntaxError):
        raise BadInput(f"{path} is no photo that can be read") from None
    except OSError as error:
        raise BadInput(f"{path} cannot be read: {error.strerror or 'no whole photo'}") from None
    source = f"data:image/jpeg;base64,{b64encode(small.getvalue()).decode()}"
    image = element("img", src=source, alt=f"{caption}: {path}", loading="lazy")
    return element("figure", image, element("figcaption", f"{caption}: {path}"))
