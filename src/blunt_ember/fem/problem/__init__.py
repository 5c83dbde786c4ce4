"""The problem a mesh is asked to solve, made from a case and checked for being well posed."""
