"""Models and the captures taken from them."""
