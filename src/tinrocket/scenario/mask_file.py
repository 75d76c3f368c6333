"""Pixel masks from pictures."""

import io
import warnings
from pathlib import Path

from tinrocket.errors import FileError, ScenarioError
from tinrocket.files import read_bytes
from tinrocket.scenario.shapes import Mask

LARGEST_FILE = 20 * 2**20
"""Largest size of a picture of a mask [bytes]."""

MOST_PIXELS = 1_000_000
"""Most pixels of a mask."""

HALF = 128
"""Value from which a pixel is opaque, or bright, of 255."""


def read_mask(path: Path | str, scale: float = 1.0, *, turns: bool = False) -> Mask:
    """Read a mask of the pixels that can be hit.

    These are at least half opaque, or dark in a picture without transparency.


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
        If no pixel can be hit.
    """
    from PIL import Image  # noqa: PLC0415  # few scenarios have masks

    data = read_bytes(path, most=LARGEST_FILE)
    try:
        # warnings of the library do not matter: a picture is read or refused
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data)) as picture:
                if picture.width * picture.height > MOST_PIXELS:
                    raise FileError(
                        f"{path}: has {picture.width} x {picture.height} pixels; "
                        f"a mask has at most {MOST_PIXELS:,}"
                    )
                clear = picture.has_transparency_data
                seen = picture.convert("RGBA").getchannel("A") if clear else picture.convert("L")
    except FileError:
        raise
    except Exception:  # whatever reading raises, the file is not a picture
        raise FileError(f"{path}: is not a picture; a mask is read from a PNG file") from None
    width, values = seen.width, seen.tobytes()
    solid = [value >= HALF if clear else value < HALF for value in values]
    rows = (solid[start : start + width] for start in range(0, len(solid), width))
    try:
        return Mask.of(rows, scale, turns=turns)
    except ScenarioError as error:
        raise ScenarioError(error.problems, str(path)) from None
