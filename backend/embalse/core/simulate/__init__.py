"""A made-up season with its truth: weather, layered soils and sensors, always from a seed."""
