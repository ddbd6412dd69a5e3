"""Pictures of the engineer's own: looked at before they go onto a page."""

from __future__ import annotations

import io
import warnings
from collections.abc import Mapping

from labilis.model import LabilisError
from labilis.model.statements import StoredFile

MOST_BYTES, MOST_PIXELS = (
    8_000_000,
    40_000_000,
)  # a page in print holds 8 million pixels at 300 to the inch
_PNG = b"\x89PNG\r\n\x1a\n"


def picture_bytes(item: StoredFile, files: Mapping[str, bytes]) -> bytes:
    """The bytes of a picture. Raises LabilisError where they are missing or no sound PNG."""
    if item.sha256 not in files:
        raise LabilisError(
            f"The bytes of '{item.file}' are missing.",
            f"report/{item.file}",
            "Take the picture in again.",
            "missing-file",
        )
    data = files[item.sha256]
    check_picture(data, item.file)
    return data


def check_picture(data: bytes, file: str) -> None:
    """Raises LabilisError for what is no sound PNG of a size that a page can use."""
    from PIL import Image

    where, remedy = f"report/{file}", "Save it as a PNG again."
    if not data.startswith(_PNG):
        raise LabilisError(f"'{file}' is no PNG.", where, remedy, "picture")
    if len(data) > MOST_BYTES:
        raise LabilisError(
            f"'{file}' has {len(data) / 1e6:.0f} MB; {MOST_BYTES / 1e6:.0f} are enough for a page.",
            where,
            "Make it smaller.",
            "picture",
        )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            with Image.open(io.BytesIO(data)) as image:  # the head only: nothing is unpacked yet
                pixels = image.width * image.height
                image.verify()  # sums of its parts
            if pixels <= MOST_PIXELS:
                with Image.open(io.BytesIO(data)) as image:
                    image.load()
    except Exception as error:
        raise LabilisError(
            f"'{file}' is damaged ({type(error).__name__}).", where, remedy, "picture"
        ) from error
    if pixels > MOST_PIXELS:
        raise LabilisError(
            f"'{file}' has {pixels / 1e6:.0f} million pixels; {MOST_PIXELS / 1e6:.0f} are enough "
            "for a page.",
            where,
            "Make it smaller.",
            "picture",
        )
