"""The application a server runs."""

import os
import threading
from importlib import import_module

from django.core.wsgi import get_wsgi_application

from night_trail.site.settling import settle

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "night_trail.site.settings.production")
# one request is one thread; more threads inside numerics only fight over the cores
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_WAIT_POLICY", "PASSIVE")

application = get_wsgi_application()

from night_trail.site.backup import serving  # noqa: E402  (settings are there only now)
from night_trail.tables.aside import looking  # noqa: E402

# imported inside functions, where scripts that never need them do not wait; a
# server is better off waiting once, before the first visitor does
for module in ("scipy.ndimage", "scipy.signal", "diptest", "mizani.breaks", "fontTools.ttLib"):
    import_module(module)


# held until the process ends: a restore waits for nobody, it refuses
_here = serving()
_here.__enter__()


def load_models() -> None:
    """Load what decomposition and forecasts need, beside the first requests: it takes seconds."""
    looking().warm_up()
    for name in (
        "statsmodels.tsa.seasonal",
        "statsmodels.tsa.exponential_smoothing.ets",
        "statsmodels.tsa.forecasting.theta",
        "statsmodels.nonparametric.smoothers_lowess",
    ):
        import_module(name)
    settle()


threading.Thread(target=load_models, daemon=True).start()
