"""Telling the desktop, through the notification service that it has (Desktop Notifications Specification 1.2)."""

from __future__ import annotations

from jeepney import DBusAddress, MessageFlag, new_method_call
from jeepney.io.blocking import open_dbus_connection

from skiagraph.desktop.theme import asset_folder
from skiagraph.logs import log

_SERVICE = DBusAddress(
    "/org/freedesktop/Notifications",
    bus_name="org.freedesktop.Notifications",
    interface="org.freedesktop.Notifications",
)
# The service decides how long it is shown.
_ITS_OWN_TIME = -1


def notify(title: str, text: str) -> bool:
    """Show a notification; False where there is no desktop that shows any.

    It is not waited for whether anybody sees it.
    """
    try:
        with open_dbus_connection("SESSION") as connection:
            message = new_method_call(
                _SERVICE,
                "Notify",
                "susssasa{sv}i",
                ("Skiagraph", 0, asset_folder("icons") + "/skiagraph.svg", title, text, [], {}, _ITS_OWN_TIME),
            )
            message.header.flags |= MessageFlag.no_reply_expected
            connection.send(message)
        return True
    except Exception as error:  # no bus, no service, a bus that refuses: none of it is worth a word
        log.info("no notification was shown: %s", error)
        return False
