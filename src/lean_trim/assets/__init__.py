"""Fonts, icon and desktop entry."""
