# Small, and without debugging symbols and local names, which would be most of
# the installed size; local names that the linker keeps are stripped by the install.
CXX17FLAGS = -Os
LDFLAGS = -Wl,-z,relro -Wl,-x
