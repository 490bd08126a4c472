"""Surfaces that must meet many things at once: one solver over one vocabulary of conditions."""
