"""The settings that tests run with; they differ where speed or the live server asks for it."""

import os
import tempfile
from typing import Any

os.environ.setdefault("STEPLADDER_DATA", tempfile.mkdtemp(prefix="stepladder-test-"))
os.environ.setdefault("STEPLADDER_SECRET_KEY", "only-for-tests")
os.environ.setdefault("STEPLADDER_DEMO", "1")

from stepladder.config.settings import *  # noqa: F403 - the settings under test, with the few changes below

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
TASKS = {"default": {"BACKEND": "tests.at_commit.AtCommit", "QUEUES": ["default", "now", "bulk", "mail"]}}
WHITENOISE_AUTOREFRESH = True
WHITENOISE_USE_FINDERS = True
# No power cut is tested here, and each test that commits would wait for the disk.
options: Any = DATABASES["default"]["OPTIONS"]  # noqa: F405
options["init_command"] += "PRAGMA synchronous=OFF;"
