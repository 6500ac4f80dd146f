"""What the crop uses, day by day and stage by stage."""
