"""Numbers as people type them, and the files that go in and out."""
