"""Where two surfaces run through each other: branches found, made exact, followed while a surface moves, and fitted."""
