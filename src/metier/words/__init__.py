"""The command line: how words become options, quantities and an answer."""
