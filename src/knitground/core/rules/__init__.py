"""Rules: stencils, neighbour rules, their analysis and teaching, and rewriting."""
