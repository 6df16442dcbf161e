"""Registration: proving that nothing moved."""

from irodori.proof.prove import Registration, prove

__all__ = ["Registration", "prove"]
