"""Pixel masks from pictures."""

import io
import warnings
from pathlib import Path

from tinrocket.errors import FileError, ScenarioError
from tinrocket.files import read_bytes
from tinrocket.scenario.shapes import Mask

LARGEST_FILE = 20 * 2**20
"""Bytes of a picture that a mask is read from, at most."""

MOST_PIXELS = 1_000_000
"""Pixels of a mask, at most."""

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
    from PIL import Image  # noqa: PLC0415  # few scenarios have masks

    data = read_bytes(path, most=LARGEST_FILE)
    try:
        with warnings.catch_warnings():  # an odd picture is either read or refused
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
    except Exception:  # whatever reading one raises, it is no picture
        raise FileError(f"{path}: is not a picture; a mask is read from a PNG file") from None
    width, values = seen.width, seen.tobytes()
    solid = [value >= HALF if clear else value < HALF for value in values]
    rows = (solid[start : start + width] for start in range(0, len(solid), width))
    try:
        return Mask.of(rows, scale, turns=turns)
    except ScenarioError as error:
        raise ScenarioError(error.problems, str(path)) from None
