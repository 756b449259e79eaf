"""Quillback Cooling, the made-up shop that ships with the product: a data file, and a player of it."""
