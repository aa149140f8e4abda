import skiagraph  # noqa: F401  before NumPy, see there
