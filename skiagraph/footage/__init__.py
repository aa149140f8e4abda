"""Footage: clips coming in, and what is found in them.

Everything that runs decoders or networks for a project is here.
"""
