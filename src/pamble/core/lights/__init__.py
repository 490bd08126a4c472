"""Light lines: curves on the true surface along which a light is seen, and what they do at seams."""
