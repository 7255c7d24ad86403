"""From moments to the arrays that kernels work on, and what is kept between pictures."""
