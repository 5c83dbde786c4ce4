"""Meshes made from other meshes: finer, parted at joints, extended for pictures."""
