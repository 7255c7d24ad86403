"""The kernels: rays, bodies, surfaces, light, bounce by bounce."""
