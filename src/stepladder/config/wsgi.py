"""The entry point of the server."""

import os

from django.core.wsgi import get_wsgi_application

from stepladder.config.database.base import DatabaseWrapper
from stepladder.config.database.turns import Turns
from stepladder.web.checks import told_at_start

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "stepladder.config.settings")
application = get_wsgi_application()
# Once the applications are there: their checks are registered by then.
told_at_start()
DatabaseWrapper.turns = Turns()
