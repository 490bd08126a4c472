"""Fillets: a ball rolled along a crease, its contacts, its surface, its ends and what it cuts away."""
