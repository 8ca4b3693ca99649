"""Files and folders that are nobody else's business, whatever the umask."""

from __future__ import annotations

import os
from pathlib import Path
from typing import BinaryIO


def open_private(path: Path) -> BinaryIO:
    """A file to be written, for its owner alone; its folder is made where there is none."""
    make_private(path.parent)
    return open(path, "wb", opener=lambda name, flags: os.open(name, flags, 0o600))


def make_private(folder: Path) -> None:
    """A folder for its owner alone."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    folder.chmod(0o700)
