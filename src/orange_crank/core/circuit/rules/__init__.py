"""The rules of a circuit, one subject a file: each computes what is lawful, and judges.

A sizing chooses a circuit and has it judged; an audit has the circuit judged that is there. Both go
through the same functions.
"""
