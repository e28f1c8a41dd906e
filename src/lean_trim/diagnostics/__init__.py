"""What the program tells of itself when something goes wrong.

A rotating log, hooks for what escapes, a report for support.
"""
