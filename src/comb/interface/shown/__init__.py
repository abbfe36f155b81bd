"""Results of the layers below, as they show themselves."""
