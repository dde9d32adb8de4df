"""What a proxy says of a visitor is believed of proxies that the settings name, and of nobody else."""

from __future__ import annotations

from collections.abc import Callable
from ipaddress import ip_address, ip_network

from django.conf import settings
from django.http import HttpRequest, HttpResponse

SAID = ("HTTP_X_FORWARDED_FOR", "HTTP_X_FORWARDED_PROTO", "HTTP_X_FORWARDED_HOST", "HTTP_X_FORWARDED_PORT")


def trusted(address: str) -> bool:
    """Whether an address is that of a proxy of ours."""
    try:
        found = ip_address(address)
    except ValueError:
        return False
    return any(found in ip_network(network) for network in settings.TRUSTED_PROXIES)


class Proxies:
    """Puts the visitor's own address in the place of the proxy's, and drops what strangers claim."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Believe the proxy or nobody."""
        meta = request.META
        if trusted(meta.get("REMOTE_ADDR", "")):
            # each proxy adds at the right whom it saw; what stands left of a stranger is the stranger's tale
            for told in reversed(meta.get("HTTP_X_FORWARDED_FOR", "").split(",")):
                if not (address := told.strip()):
                    break
                meta["REMOTE_ADDR"] = address
                if not trusted(address):
                    break
        else:
            for name in SAID:
                meta.pop(name, None)
        return self.get_response(request)
