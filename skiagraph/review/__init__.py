"""A second look before anything leaves: findings on the project, and proof on the exported file."""
