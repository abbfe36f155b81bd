"""From text to types, with evidence, and back without loss."""
