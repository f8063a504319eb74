# Without debugging symbols, which would be most of the installed size.
CXX17FLAGS = -O2
