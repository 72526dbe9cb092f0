"""The printer on its cable: the serial line, and plain G-code as firmware commonly speaks it."""
