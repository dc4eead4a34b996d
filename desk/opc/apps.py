"""The plant interface: readings from servers that speak OPC UA, read only."""

from django.apps import AppConfig


class OpcConfig(AppConfig):
    name = "desk.opc"
    label = "opc"
    default_auto_field = "django.db.models.BigAutoField"
