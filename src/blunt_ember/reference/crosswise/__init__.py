"""Heat that flows more than one way: rectangles, boxes, cylinders of any length, plane bodies."""
