"""What the log says."""

from __future__ import annotations

import logging

__all__ = ["PlainRefusals"]


class PlainRefusals(logging.Filter):
    """A refusal is a line with its reason, not a traceback: nothing is broken, and what is must be seen among them."""

    def filter(self, record: logging.LogRecord) -> bool:
        if getattr(record, "status_code", None) == 403 and record.exc_info:
            reason = record.exc_info[1] if isinstance(record.exc_info, tuple) else None
            record.msg, record.args = f"{record.getMessage()}: {reason}", ()
            record.exc_info, record.exc_text = None, None
        return True
