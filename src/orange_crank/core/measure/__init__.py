"""What a reading means: meter modes, amps, inrush, and whether two readings may be compared."""
