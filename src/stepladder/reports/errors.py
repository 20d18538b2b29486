from stepladder.refusals import Refusal


class ReportError(Refusal):
    """Something about a report that can't be done; the message is for people."""
