"""The shapes of the test parts: their lines for G-code, and their bodies for a mesh."""
