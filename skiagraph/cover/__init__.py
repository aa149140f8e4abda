"""Covers drawn on a frame: outline and path to matte to composite."""
