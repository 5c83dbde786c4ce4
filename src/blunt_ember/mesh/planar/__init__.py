"""Meshes of plane sections: size field, free triangles, mapped quadrilaterals."""
