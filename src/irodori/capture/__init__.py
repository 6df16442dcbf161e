"""Opening what comes in: pictures, passes and models."""

from irodori.capture.model.model import Model, open_model
from irodori.capture.open_capture import open_capture

__all__ = ["Model", "open_capture", "open_model"]
