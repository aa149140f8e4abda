"""Modules that are loaded when they are first used.

scipy.signal loads scipy.stats with it, two seconds on a slow machine; the model of a project knows all kinds of
disguise, and every command and every job's process knows the model.
"""

from __future__ import annotations

import threading
from importlib import import_module


class Lazily:
    """Stands for a module of that name.

    What is taken from it is kept, so that later uses cost what an attribute costs.
    """

    def __init__(self, name: str):
        self._name = name

    def __getattr__(self, attribute: str) -> object:
        if attribute.startswith("__"):
            raise AttributeError(attribute)
        value = getattr(import_module(self._name), attribute)
        setattr(self, attribute, value)
        return value

    def load(self) -> None:
        """Load it now."""
        import_module(self._name)


def load_ahead(*modules: Lazily) -> None:
    """Begin to load modules beside other work. Whoever uses one before it is there waits for it, as ever."""
    threading.Thread(target=lambda: [module.load() for module in modules], name="load-ahead", daemon=True).start()


ndimage = Lazily("scipy.ndimage")
optimize = Lazily("scipy.optimize")
signal = Lazily("scipy.signal")
stats = Lazily("scipy.stats")
