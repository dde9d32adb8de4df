"""The application a server runs."""

import os
from importlib import import_module

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "night_trail.site.settings.production")
# one request is one thread; more threads inside numerics only fight over the cores
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

application = get_wsgi_application()

# imported inside functions, where scripts that never need them do not wait; a
# server is better off waiting once, before the first visitor does
for module in ("scipy.ndimage", "scipy.signal", "diptest", "mizani.breaks", "fontTools.ttLib"):
    import_module(module)
