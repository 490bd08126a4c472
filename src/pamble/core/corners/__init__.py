"""Corners: holes laid out in four-sided patches that meet their neighbours and each other with G2."""
