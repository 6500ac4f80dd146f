"""Sets laid on supplies: what there is to give, what is wanted, and the plan that stresses the crops least."""
