"""Simulated instruments and practice calls; the stand-ins for outside devices. Depends on the core only."""
