"""The store: studies and their operations in PostgreSQL."""
