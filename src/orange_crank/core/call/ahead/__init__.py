"""What travels with a call to where no server answers: limits, gates and what surely proves dead.

The rules stay in the core and nowhere else. What they would say is worked out ahead, as data: bands of
values, a table of states, JSON Schemas. A device without signal looks things up in them and shows which side
it is on; the server judges on arrival. Where what is not known there could change the answer, the answer is
*depends*, and what is not surely allowed is not allowed.
"""
