"""Ray queries against the scene's triangles."""
