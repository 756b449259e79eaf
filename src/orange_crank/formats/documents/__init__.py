"""Papers: one template each, printable HTML and PDF from the same; fonts and pictures ship with it."""
