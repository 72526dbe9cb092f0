"""A kind of trial each, all with the same face (`kind`), through one pipeline (`runner`)."""
