"""Made-up places for tests of cuts and of the camera."""

import numpy as np

SIZE = 640, 360


def scene(seed: int, shift: int = 0, light: float = 1.0, noise: float = 0.0) -> np.ndarray:
    """A bright wall above a dark floor, as every place here has them, with things by lot in it; uint8 grey. shift: px
    to the right."""
    rng = np.random.default_rng(seed)
    picture = np.full((SIZE[1], SIZE[0] + 400), 70, np.uint8)
    picture[:200] = 190
    for _ in range(60):
        x, y, size, tone = (
            int(rng.integers(0, SIZE[0] + 400)),
            int(rng.integers(0, SIZE[1])),
            int(rng.integers(10, 60)),
            int(rng.integers(-50, 50)),
        )
        picture[y : y + size, x : x + size] = np.clip(picture[y : y + size, x : x + size].astype(int) + tone, 0, 255)
    part = picture[:, 200 + shift : 200 + shift + SIZE[0]] * light + np.random.default_rng((seed, 200 + shift)).normal(
        0, noise, SIZE[::-1]
    )
    return np.clip(part, 0, 255).astype(np.uint8)
