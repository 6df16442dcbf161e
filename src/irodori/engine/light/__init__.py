"""Light: sun, sky, lamps, and what bounces."""
