"""glTF 2.0 and GLB."""
