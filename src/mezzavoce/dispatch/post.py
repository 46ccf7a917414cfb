"""Hand one mail to the mail server.

What can go wrong is told apart: not taken yet, refused for good, or nobody knows.
"""

import smtplib
from contextlib import suppress
from email.utils import formataddr

from django.core.mail import EmailMessage, get_connection

from mezzavoce_core.errors import MezzavoceError

_TOLD = 200


class NotTaken(MezzavoceError):
    """The server did not take the mail and may take it later."""

    temporary = True


class TurnedDown(MezzavoceError):
    """The server, or the mail itself, says that it will never go out like this."""


class FateUnknown(MezzavoceError):
    """The connection broke while the server was taking the mail.

    It may have arrived or not; only a person may send it again.
    """


def address(name: str, mail: str) -> str:
    """Name and mail address as a header wants them, whatever signs the name holds."""
    return formataddr((name, mail))


def post(message: EmailMessage) -> None:
    """Send a mail, once. Raises NotTaken, TurnedDown or FateUnknown, each with a sentence."""
    connection = get_connection()
    try:
        # Whatever goes wrong before the first command of this mail has cost nothing.
        connection.open()
    except (smtplib.SMTPException, OSError) as error:
        raise NotTaken(f"The mail server does not answer ({_words(error)}).") from error
    message.connection = connection
    try:
        message.send()
    except smtplib.SMTPResponseException as error:
        raise _answered(error.smtp_code, error) from error
    except smtplib.SMTPRecipientsRefused as error:
        code, words = next(iter(error.recipients.values()))
        raise _answered(code, Exception(words.decode(errors="replace"))) from error
    except (smtplib.SMTPServerDisconnected, OSError) as error:
        raise FateUnknown(
            f"The connection broke while the mail server was taking this mail ({_words(error)}); it may have "
            "arrived or not. "
            "Ask the addressee, then send it again if it did not."
        ) from error
    finally:
        # The mail is out or not by now; a server that ends badly changes nothing.
        with suppress(Exception):
            connection.close()


def _answered(code: int, error: Exception) -> MezzavoceError:
    """What the server's answer means: 4xx is for now, 5xx for good. Source: RFC 5321, section 4.2.1."""
    if code >= 500:
        return TurnedDown(f"The mail server refused it ({code}: {_words(error)}). Check the address, then try again.")
    return NotTaken(f"The mail server did not take it ({code}: {_words(error)}).")


def _words(error: Exception) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        told = error.smtp_error
        return (told.decode(errors="replace") if isinstance(told, bytes) else str(told))[:_TOLD]
    return str(error)[:_TOLD] or type(error).__name__
