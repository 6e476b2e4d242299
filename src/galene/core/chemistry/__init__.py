"""What may touch what: rules over the properties of an agent and the features of a part."""
