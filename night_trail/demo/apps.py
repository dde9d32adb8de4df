"""The demo as an application: its commands and its ready trail and tale."""

from django.apps import AppConfig


class DemoConfig(AppConfig):
    """Commands that prepare a demo."""

    name = "night_trail.demo"
