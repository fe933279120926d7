"""Pictures from outside, made safe: read in a process of their own that may use so much time and
memory and no more, turned upright, reduced, and written anew; nothing else of them is kept.

The imaging library is Pillow (22 MB installed with its codecs, permissive licence); only PNG, JPEG
and WebP are read.
"""

import io
import subprocess
import sys
from dataclasses import dataclass
from threading import BoundedSemaphore

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yellowfen.errors import UnreadableFile
from yellowfen.formats.picture_process import KINDS

SECONDS = 20.0
_AT_ONCE = BoundedSemaphore(2)  # processes of so much memory each
SENTENCES = {
    b"kind": f"is no {', '.join(KINDS[:-1])} or {KINDS[-1]} picture, or is damaged",
    b"large": "has more than 80 million pixels; make it smaller first",
    b"narrow": "is too long and narrow; cut it to the board first",
    b"cut": "is cut short: rows are missing at its end; save or send it again",
    b"small": "is smaller than 64 pixels; that shows nothing",
    b"memory": "needs more memory than a picture may; make it smaller first",
}


@dataclass(frozen=True)
class Picture:
    """A picture as it is kept: JPEG, at most `MOST_KEPT` pixels, upright."""

    jpeg: bytes
    width: int
    height: int


def made_safe(data: bytes, name: str = "picture") -> Picture:
    """A picture read and written anew. Raises UnreadableFile with one sentence for anything that is
    no picture, is too large, or takes too long.
    """
    command = [sys.executable, "-I", "-m", "yellowfen.formats.picture_process"]
    if not _AT_ONCE.acquire(timeout=3 * SECONDS):
        raise UnreadableFile(name, "waits behind other pictures for too long; send it again")
    try:
        found = subprocess.run(
            command, input=data, capture_output=True, timeout=SECONDS, check=False
        )
    except subprocess.TimeoutExpired:
        raise UnreadableFile(name, "takes too long to read; save it again with a viewer") from None
    finally:
        _AT_ONCE.release()
    if found.returncode == 0 and len(found.stdout) > 8:
        width, height = (int.from_bytes(found.stdout[n : n + 4], "big") for n in (0, 4))
        return Picture(found.stdout[8:], width, height)
    reason = SENTENCES.get(found.stdout, "cannot be read as a picture")
    raise UnreadableFile(name, reason) from None


def channels(jpeg: bytes) -> list[NDArray[np.float32]]:
    """Red, green, blue and grey (height, width), 0 to 255, of a picture that was made safe."""
    with Image.open(io.BytesIO(jpeg), formats=("JPEG",)) as picture:
        colours = np.asarray(picture.convert("RGB"), dtype=np.float32)
    red, green, blue = (np.ascontiguousarray(colours[:, :, n]) for n in range(3))
    grey = np.float32(0.3) * red + np.float32(0.59) * green + np.float32(0.11) * blue
    return [red, green, blue, grey]
