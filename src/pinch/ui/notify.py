"""A word on the desktop for an operator who looks elsewhere, by the portal that desktops share (XDG Desktop Portal,
org.freedesktop.portal.Notification); where there is none, the window asks for attention."""

from PyQt6.QtWidgets import QApplication, QWidget

PORTAL, AT = "org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop"
NOTIFICATION = "org.freedesktop.portal.Notification"


def notify(window: QWidget, title: str, words: str) -> bool:
    """Say it unless the window is in front; whether it had to be said."""
    if window.isActiveWindow():
        return False
    QApplication.alert(window)
    try:
        from PyQt6.QtDBus import QDBusConnection, QDBusMessage
    except ImportError:  # its system library is not there
        return True
    bus = QDBusConnection.sessionBus()
    if bus.isConnected():
        message = QDBusMessage.createMethodCall(PORTAL, AT, NOTIFICATION, "AddNotification")
        message.setArguments([title, {"title": title, "body": words}])
        bus.send(message)
    return True
