"""A made-up kind of trial, for the test of a new kind."""
