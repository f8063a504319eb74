# Without debugging symbols and local names, which would be most of
# the installed size.
CXX17FLAGS = -O2
LDFLAGS = -Wl,-z,relro -Wl,-x
