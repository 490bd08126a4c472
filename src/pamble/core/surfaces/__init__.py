"""Making and changing surfaces."""
