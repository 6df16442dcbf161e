"""Work on finished pictures: what they show is kept, and only what is asked for changes."""

from irodori.retouch.relit import relit

__all__ = ["relit"]
