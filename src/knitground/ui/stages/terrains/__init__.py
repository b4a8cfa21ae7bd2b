"""Terrains: what each tile shows."""
