"""Tones and hits told apart: mixes of which both are known, and how near it comes to them."""
