"""What leaves the desk: files and their proof."""
