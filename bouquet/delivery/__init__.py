"""
How files leave the house: ways out, one module each, and the outbox that is worked off.
"""

from bouquet.delivery.means import (
    WAYS,
    checked_address,
    checked_settings,
    try_means,
    way_of,
    way_to,
    words_of,
)
from bouquet.delivery.outbox import deliver_due, end_old_links, parcel_of, take_back
from bouquet.delivery.way import DeliveryError, Step, Way, WrongSettings

__all__ = [
    "WAYS",
    "DeliveryError",
    "Step",
    "Way",
    "WrongSettings",
    "checked_address",
    "checked_settings",
    "deliver_due",
    "end_old_links",
    "parcel_of",
    "take_back",
    "try_means",
    "way_of",
    "way_to",
    "words_of",
]
