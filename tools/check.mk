# Small, and without debugging symbols and local names, which would be most of
# the installed size.
CXX17FLAGS = -Os
LDFLAGS = -Wl,-z,relro -Wl,-x
