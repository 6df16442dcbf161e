"""What a picture that is nearly there is given: less noise, windows that show something, relief, a foreground."""

from irodori.retouch.touch.noise import denoised, noise_level
from irodori.retouch.touch.touched import TOUCHES, Touched, touched

__all__ = ["TOUCHES", "Touched", "denoised", "noise_level", "touched"]
