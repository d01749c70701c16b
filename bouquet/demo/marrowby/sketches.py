"""
Marrowby's photographs: a few drawn trees, since nobody's pictures are shown.
"""

from __future__ import annotations

import io
from functools import lru_cache

import numpy as np

__all__ = ["sketches"]

#: Pixels.
WIDTH, HEIGHT = 240, 180

_SKY, _GRASS, _TRUNK = (214, 228, 233), (176, 190, 140), (112, 88, 66)


@lru_cache(maxsize=1)
def sketches(number: int = 12) -> tuple[bytes, ...]:
    """
    PNG files of trees that differ in height, crown and season; the same ones every time.
    """
    from PIL import Image, ImageDraw

    rng = np.random.default_rng(1201)
    made = []
    for _ in range(number):
        picture = Image.new("RGB", (WIDTH, HEIGHT), _SKY)
        draw = ImageDraw.Draw(picture)
        ground = 150 + int(rng.integers(-6, 7))
        draw.rectangle((0, ground, WIDTH, HEIGHT), fill=_GRASS)
        middle, top = 120 + int(rng.integers(-25, 26)), 45 + int(rng.integers(-15, 30))
        trunk = 6 + int(rng.integers(0, 8))
        draw.polygon(
            [(middle - trunk, ground + 8), (middle + trunk, ground + 8), (middle + 2, top), (middle - 2, top)], _TRUNK
        )
        leaf = np.array([78, 118, 72]) + rng.integers(-25, 60, 3) * np.array([1, 0.5, 0.3])
        for _ in range(9):
            x, y = middle + int(rng.integers(-38, 39)), top + int(rng.integers(-12, 45))
            size = int(rng.integers(16, 32))
            shade = tuple(int(c) for c in np.clip(leaf + rng.integers(-14, 15), 0, 255))
            draw.ellipse((x - size, y - size, x + size, y + size), fill=shade)
        out = io.BytesIO()
        picture.quantize(24).save(out, "png", optimize=True)
        made.append(out.getvalue())
    return tuple(made)
