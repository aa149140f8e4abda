"""The kinds of companions: a file each, found by being here."""

from skiagraph.values import load_kinds

load_kinds(__name__, list(__path__))
