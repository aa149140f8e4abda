"""How covers are kept from being turned back, in one place."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class HardeningSettings:
    """steps: values that a cell of a blur or a mosaic may have; fewer leave less to who averages frames or divides by
    the kernel, and show as bands that come and go. Set by the attacks of benchmarks/attack.py: with 64 none of them
    gains against the cover as it is seen, and a still picture does not flicker."""

    steps: int = 64


HARDENING = HardeningSettings()
