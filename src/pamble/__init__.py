"""Pamble: blends, fillets and patches between freeform surfaces, with honest light and live seam figures."""

__version__ = "0.1.0"
