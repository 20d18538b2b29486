"""What the log says."""

from __future__ import annotations

import json
import logging
from datetime import UTC, datetime

from stepladder.web.request_ids import current_id

__all__ = ["AsJson", "PlainRefusals", "WithRequest"]


class PlainRefusals(logging.Filter):
    """A refusal is a line with its reason, not a traceback: nothing is broken, and what is must be seen among them."""

    def filter(self, record: logging.LogRecord) -> bool:
        if getattr(record, "status_code", None) == 403 and record.exc_info:
            reason = record.exc_info[1] if isinstance(record.exc_info, tuple) else None
            record.msg, record.args = f"{record.getMessage()}: {reason}", ()
            record.exc_info, record.exc_text = None, None
        return True


class AsJson(logging.Formatter):
    """A line of JSON for each record: time (UTC), level, logger, message, the number of the request or task, and where something broke.

    What a message says of people's data is what the lines say: nothing is added from requests.
    """

    def format(self, record: logging.LogRecord) -> str:
        said = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname,
            "logger": record.name,
            "message": record.getMessage(),
            "request": current_id(),
            "status": getattr(record, "status_code", None),
            "trace": self.formatException(record.exc_info) if record.exc_info else None,
        }
        return json.dumps({name: value for name, value in said.items() if value not in (None, "")}, ensure_ascii=False)


class WithRequest(logging.Filter):
    """Puts the number of the request or task at the disposal of lines."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_id = current_id() or "-"
        return True
