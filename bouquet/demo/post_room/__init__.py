"""
The post room of the demonstration: stand-ins to which files can be sent, so that they can be seen to arrive.
"""

from bouquet.demo.post_room.room import Arrival, Misdeed, Room, StandIn
from bouquet.demo.post_room.stand_ins import mail_stand_in, sftp_stand_in, store_stand_in, webhook_stand_in

__all__ = [
    "Arrival",
    "Misdeed",
    "Room",
    "StandIn",
    "mail_stand_in",
    "sftp_stand_in",
    "store_stand_in",
    "webhook_stand_in",
]
