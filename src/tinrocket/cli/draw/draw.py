"""The modules and the function that a drawing process needs."""

import logging
from pathlib import Path

import PIL.Image

from tinrocket.comparison.comparison import Comparison
from tinrocket.show.pictures import PICTURES
from tinrocket.show.theme import save_figure

# the plotting library's warnings about its own cache are irrelevant here
logging.getLogger("matplotlib").setLevel(logging.ERROR)
PIL.Image.preinit()  # load now what the first picture would load in every process


def draw(comparison: Comparison, name: str, folder: Path) -> None:
    """Draw a picture of a comparison into a folder, as PNG."""
    save_figure(PICTURES[name].draw(comparison), folder / f"{name}.png")
