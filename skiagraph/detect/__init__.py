"""What may need covering in one frame."""
