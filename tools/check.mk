# Without debugging symbols and names of what is not called from outside, which would be most of
# the installed size.
CXX17FLAGS = -O2
LDFLAGS = -Wl,-z,relro -s
