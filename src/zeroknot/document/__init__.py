"""The project as one immutable tree, and the edits that make the next tree from it."""
