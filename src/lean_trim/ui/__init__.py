"""The window: PySide6 widgets that show the job and hold no truth of their own."""
