"""The desks: one task fills the middle of the window each; registered in ``registry``."""
