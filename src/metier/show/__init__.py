"""How findings look: numbers, dates and sheets of aligned text."""
