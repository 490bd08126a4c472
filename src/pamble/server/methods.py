"""Answers to requests by a method that a path does not know."""

from __future__ import annotations

import re

from fastapi import FastAPI
from fastapi.responses import JSONResponse


def not_so(app: FastAPI, path: str) -> JSONResponse:
    """405 with the methods that a path of the interface does know (RFC 9110, 15.5.6), 404 where it knows none."""
    paths = app.openapi()["paths"]
    alike = [p for p in paths if re.fullmatch(re.sub(r"\{[^}]+\}", "[^/]+", p), path)]
    # A path that is written out goes before one with a name in it.
    found = [p for p in alike if p == path] or alike
    methods = sorted({method.upper() for p in found for method in paths[p]})
    if not methods:
        return JSONResponse({"code": "missing", "message": "There is nothing here."}, status_code=404)
    words = f"This is asked for by {' or '.join(methods)}."
    return JSONResponse({"code": "method", "message": words}, status_code=405, headers={"Allow": ", ".join(methods)})
