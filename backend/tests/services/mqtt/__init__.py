"""A real broker from Debian's packages between devices and Embalse."""
