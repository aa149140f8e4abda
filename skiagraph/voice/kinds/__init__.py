"""The kinds of disguises that ship, one in each file; a new one is a new file here."""

from skiagraph.values import load_kinds

load_kinds(__name__, list(__path__))
