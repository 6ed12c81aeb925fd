"""The computation: values in, values out. No files, clock, logging or global state."""
