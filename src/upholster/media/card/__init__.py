"""Cards for 3D: a plane with a clip on it, as open scene formats have them."""
