"""What a voice is altered by is drawn by lot, from a secret of this desk: the same stretch sounds the same each time it
is played and handed over here, and nobody else can draw it again."""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import os
import secrets
from pathlib import Path

import numpy as np
import platformdirs

_NAME = "voice.secret"
SIZE = 32


def desk_secret(folder: Path | None = None) -> bytes:
    """The secret of this desk: made when it is asked for first, readable by its owner alone, in no project and no file
    that is handed over. Where it cannot be kept it is drawn for this run."""
    place = (folder or Path(platformdirs.user_data_dir("skiagraph"))) / _NAME
    with contextlib.suppress(OSError):
        if len(kept := place.read_bytes()) == SIZE:
            return kept
    made = secrets.token_bytes(SIZE)
    with contextlib.suppress(OSError):
        place.parent.mkdir(parents=True, exist_ok=True)
        try:
            with os.fdopen(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
                file.write(made)
        except FileExistsError:
            # Somebody else made one at the same moment, or what is there is no secret.
            kept = place.read_bytes()
            if len(kept) == SIZE:
                return kept
            place.write_bytes(made)
    return made


def lots(secret: bytes, *about: object) -> np.random.Generator:
    """Numbers drawn for something, always the same for the same secret.

    HMAC (RFC 2104) with SHA-256, so that they tell nothing of the secret, nor of what else was drawn.
    """
    text = "\0".join(str(part) for part in about).encode()
    return np.random.Generator(np.random.PCG64(int.from_bytes(hmac.new(secret, text, hashlib.sha256).digest(), "big")))
