"""The judge of a call: one authority each for stops, gates, evidence, readings, before and after, and rungs.

Other parts ask it; none judges a call by itself. It knows nothing of web, database or files.
"""
