"""Exchange: STEP in and out. The only place of the core that touches files."""
