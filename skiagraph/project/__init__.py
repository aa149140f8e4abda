"""The document: what a person decided, its edits, its history and its file."""
