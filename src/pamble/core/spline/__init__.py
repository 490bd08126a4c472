"""B-spline curves and surfaces: evaluate, derive, change knots and degree, project."""

from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

__all__ = ["Curve", "Surface"]
