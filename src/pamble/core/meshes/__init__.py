"""Reference meshes: scans and styling models under the surfaces."""
