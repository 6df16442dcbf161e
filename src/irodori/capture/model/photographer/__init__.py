"""Where a photographer would stand: what a model is about, and the views that show it best."""

from irodori.capture.model.photographer.choose import KINDS, Chosen, best_views
from irodori.capture.model.photographer.subject import Subject, subject_of

__all__ = ["KINDS", "Chosen", "Subject", "best_views", "subject_of"]
