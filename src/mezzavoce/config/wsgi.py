"""The application as gunicorn starts it."""

import importlib
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mezzavoce.config.settings")
application = get_wsgi_application()

# The compiled loops that a correction by hand needs: loaded now, so that the first one does not wait for them.
importlib.import_module("mezzavoce_core.measure.music_gain")
