"""What the product insists on before hands go in: the make-safe record, bleeding down, call states."""
