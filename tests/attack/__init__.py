"""The program attacked: cases, flows, drawings and meshes mutated by chance, again and again the same way."""
