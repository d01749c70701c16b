"""
The house that sends, and its post room, for campaigns, too.
"""

from tests.delivery.conftest import room, sending, stand_ins

__all__ = ["room", "sending", "stand_ins"]
