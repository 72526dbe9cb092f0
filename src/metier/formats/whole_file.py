"""Files written whole or not at all."""

import os
import tempfile

from metier.core.refusal import Refusal


def write_whole(path: str, text: str, *, overwrite: bool) -> None:
    """Write a text file in one step: readers see the old file or the new one, never a half.

    Raises:
        Refusal: the file exists and ``overwrite`` is not set, or it is a folder.
        OSError: it cannot be written.
    """
    folder = os.path.dirname(os.path.abspath(path))
    if os.path.isdir(path):
        raise Refusal(f"{path} is a folder: name a file in it")
    if os.path.exists(path) and not overwrite:
        raise Refusal(f"{path} exists: choose another name, or --force to write over it")
    part = None
    try:
        with tempfile.NamedTemporaryFile(
            "w", dir=folder, suffix=".part", delete=False, encoding="utf-8"
        ) as file:
            part = file.name
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(part, 0o666 & ~_umask())
        os.replace(part, path)
    except OSError as error:
        if part and os.path.exists(part):
            os.unlink(part)
        raise OSError(error.errno, f"cannot be written: {error.strerror}", path) from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
