library(testthat)
library(almanacridge)

test_check("almanacridge")
