"""Pixel masks from pictures."""

from pathlib import Path

from tinrocket.errors import FileError
from tinrocket.scenario.shapes import Mask

HALF = 128
"""Opaque, or bright, from this value on, of 255."""


def read_mask(path: Path | str, scale: float = 1.0, *, turns: bool = False) -> Mask:
    """Read which pixels of a picture can be hit.

    Those that are at least half opaque; in a picture without transparency the dark ones.

    Parameters
    ----------
    path
        A PNG file, or another kind of picture.
    scale
        Size of a pixel [px].
    turns
        Whether the mask turns with the heading.

    Raises
    ------
    FileError
        If the file cannot be read, or is not a picture.
    ScenarioError
        If no pixel of it can be hit.
    """
    from PIL import Image, UnidentifiedImageError  # noqa: PLC0415  # few scenarios have masks

    try:
        with Image.open(path) as picture:
            clear = picture.has_transparency_data
            seen = picture.convert("RGBA").getchannel("A") if clear else picture.convert("L")
    except UnidentifiedImageError:
        raise FileError(f"{path}: is not a picture; a mask is read from a PNG file") from None
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise FileError(f"{path}: cannot be read: {reason}") from None
    width, values = seen.width, seen.tobytes()
    solid = [value >= HALF if clear else value < HALF for value in values]
    rows = (solid[start : start + width] for start in range(0, len(solid), width))
    return Mask.of(rows, scale, turns=turns)
