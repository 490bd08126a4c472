"""Pamble without a screen."""
