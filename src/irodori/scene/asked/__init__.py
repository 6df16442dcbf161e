"""What a brief asks of a scene: finishes on surfaces, and things in places."""

from irodori.scene.asked.asked import Acted, Asked, ask, asked_again, not_done, of_decisions, without_kinds

__all__ = ["Acted", "Asked", "ask", "asked_again", "not_done", "of_decisions", "without_kinds"]
