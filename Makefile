.PHONY: wheel demo reset-demo test bench generated screenshots dev one picture

demo:
	@python3 scripts/dev.py demo

reset-demo:
	@python3 scripts/dev.py reset-demo

test:
	@python3 scripts/dev.py test

wheel:
	@python3 scripts/dev.py wheel

bench:
	@python3 scripts/dev.py bench

generated:
	@python3 scripts/dev.py generated

screenshots:
	@python3 scripts/dev.py screenshots

dev:
	@python3 scripts/dev.py dev

one:
	@python3 scripts/dev.py one "$(T)" "$(K)"

picture:
	@python3 scripts/dev.py picture "$(P)"
