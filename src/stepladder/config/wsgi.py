"""The entry point of the server."""

import os

from django.core.wsgi import get_wsgi_application

from stepladder.config.database.base import DatabaseWrapper
from stepladder.config.database.turns import Turns

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "stepladder.config.settings")
application = get_wsgi_application()
DatabaseWrapper.turns = Turns()
