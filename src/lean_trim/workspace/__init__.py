"""The open job as a model without a window.

Typed changes, undo, requests bound to what they were asked for.
"""
