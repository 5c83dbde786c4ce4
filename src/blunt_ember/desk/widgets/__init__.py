"""Widgets and styles that any zone may use."""
