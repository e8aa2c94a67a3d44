"""Open models: instance data of YANG modules as JSON (RFC 7951) and XML (RFC 7950), read and written."""

from overhang.models.tree import BadData, Node
from overhang.models.writing import Unsayable, model_data

__all__ = ["BadData", "Node", "Unsayable", "model_data"]
