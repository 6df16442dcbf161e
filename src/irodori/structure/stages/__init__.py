"""The stages of a reading from pixels, in their order, each with a typed result that the next ones take whole."""
