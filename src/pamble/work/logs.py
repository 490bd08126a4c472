"""Logs of the server and of workers."""

from __future__ import annotations

import logging

import structlog


def set_up_logs() -> None:
    """Structured logs, one JSON object a line, on standard error."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
    )
