from stepladder.refusals import Refusal

__all__ = ["KeepingError"]


class KeepingError(Refusal):
    """What stands against keeping a number only."""
