"""Structure from depth, normal and id passes that came beside a picture."""


def structure_from_passes(capture):
    raise NotImplementedError
