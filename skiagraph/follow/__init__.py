"""Following whatever an outline encloses, from where somebody placed it."""
