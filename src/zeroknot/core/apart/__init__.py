"""What rings in a mixed recording, and what is struck: its tones and its hits."""
