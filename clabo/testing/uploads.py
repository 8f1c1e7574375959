"""A folder of a test's own for uploaded files."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from unittest import TestCase

from django.test import override_settings


def own_uploads(test: TestCase) -> Path:
    """Uploads go to the returned folder until the test is over."""
    folder = Path(tempfile.mkdtemp(prefix="clabo-uploads-"))
    test.addCleanup(shutil.rmtree, folder, ignore_errors=True)
    uploads = override_settings(CLABO_UPLOAD_DIR=folder)
    uploads.enable()
    test.addCleanup(uploads.disable)
    return folder
