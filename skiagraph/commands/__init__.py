"""The commands: one module for each kind of work.

A module has `add_commands`, which says how its commands are typed, and imports what they need only when one runs, so
that `skiagraph --help` is quick. `skiagraph/cli.py` puts them together.
"""
