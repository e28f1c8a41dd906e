"""A round judged by the next drive: did the table get in, did it do what was expected, is it time to stop."""
