"""The mathematics of Pamble: splines, joining, checks, faces and exchange. Lengths in mm, angles in degrees."""
