"""What runs hand on: frozen records of arrays, each field with shape and unit, and the formulas
that need nothing but their fields.

It is read by every room from analysis on; it sees the statements and no other room.
"""
