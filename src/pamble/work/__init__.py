"""Large work, done by worker processes that take it from a queue in the database."""
