"""What the program tells of itself when something goes wrong: a rotating log, hooks for what escapes, a report for support."""
