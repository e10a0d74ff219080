"""Services that speak an open standard over HTTP: asked for a class, and sent results. It knows nothing of marks."""
