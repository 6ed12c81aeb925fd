"""Zero Knot: loops brought into one time and key, heard, and printed as new loops."""

__version__ = "0.1.0"
