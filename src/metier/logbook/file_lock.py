"""A file held by one process: the lock is gone with the process, however that ends."""

import sys
from typing import IO

if sys.platform == "win32":
    import msvcrt

    # Beyond any draft's end, so that what is locked there can still be read.
    _FAR = 1 << 30

    def try_lock(file: IO[bytes]) -> bool:
        """Hold an open file; tells whether that could be done at once."""
        file.seek(_FAR)
        try:
            msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)
        except OSError:
            return False
        return True
else:
    import fcntl

    def try_lock(file: IO[bytes]) -> bool:
        """Hold an open file; tells whether that could be done at once.

        Where the file system knows no locks, it counts as held by nobody else.
        """
        try:
            fcntl.flock(file.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        except OSError:
            return True
        return True
