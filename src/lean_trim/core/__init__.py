"""The computation: NumPy and SciPy only, no interface and no files."""
