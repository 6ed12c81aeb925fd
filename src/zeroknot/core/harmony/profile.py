"""What is the profile of a loop? The energy of its pitch classes, C first, in all 1."""

Profile = tuple[float, ...]  # twelve
NO_TONES: Profile = (0.0,) * 12
