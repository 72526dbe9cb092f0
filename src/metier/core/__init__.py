"""Calculations and verdicts: numbers in, findings out.

Nothing in here reads a file, asks the clock or prints. Lengths are millimetres, times
seconds, flow is a plain ratio (0.92, not 92 %), and every ``u95`` is the half width of a
95 % interval (expanded uncertainty, JCGM 100:2008, clause 6).
"""
