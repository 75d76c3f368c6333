"""What a process has to load that draws."""

import logging
from pathlib import Path

import PIL.Image

from tinrocket.comparison.comparison import Comparison
from tinrocket.show.pictures import PICTURES
from tinrocket.show.theme import save_figure

logging.getLogger("matplotlib").setLevel(logging.ERROR)  # its own cache does not matter
PIL.Image.preinit()  # loaded by the first picture otherwise, in every process


def draw(comparison: Comparison, name: str, folder: Path) -> None:
    """Draw a picture of a comparison into a folder, as PNG."""
    save_figure(PICTURES[name].draw(comparison), folder / f"{name}.png")
