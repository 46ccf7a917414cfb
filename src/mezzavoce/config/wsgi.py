"""The application as a web server starts it."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mezzavoce.config.settings")
application = get_wsgi_application()
