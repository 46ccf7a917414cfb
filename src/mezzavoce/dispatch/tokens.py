"""Personal links.

A token can be made again from a seed and the server's secret, and looked up by its hash alone.
"""

import hashlib
import hmac
import secrets
from base64 import urlsafe_b64encode

from django.conf import settings


def new_seed() -> str:
    """A random seed for one recipient."""
    return secrets.token_hex(16)


def token_for(seed: str) -> str:
    """The token of a seed: 43 characters that fit into a link."""
    digest = hmac.new(settings.SECRET_KEY.encode(), b"mezzavoce.link:" + seed.encode(), hashlib.sha256).digest()
    return urlsafe_b64encode(digest).rstrip(b"=").decode()


def hash_of(token: str) -> bytes:
    """What is stored of a token."""
    return hashlib.sha256(token.encode()).digest()
