"""Groove: what is played early, late, loud and soft, step by step; taken, made, applied."""
