"""Dresses from vocabularies that the program's word tables were not made from."""
