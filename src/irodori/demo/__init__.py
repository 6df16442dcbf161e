"""The made-up scenario: Sazanami Landing, a ferry landing on an invented lake."""

from irodori.demo.files import BRIEF, SCHEDULE, VIEWS, demo_path

__all__ = ["BRIEF", "SCHEDULE", "VIEWS", "demo_path"]
