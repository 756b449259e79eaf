"""Measured ratios against a named baseline, in one run; never timed tests."""
