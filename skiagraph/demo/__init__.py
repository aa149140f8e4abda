"""Made-up footage with exact truth: people drawn from numbers, in a harbour that does not exist."""
