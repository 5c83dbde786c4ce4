"""What is done on the stage with the pointer: dimensions, outlines, points, readings, planes."""
