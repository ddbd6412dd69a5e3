"""Parts nobody drew by hand: families with sizes drawn at random, each run as it is proposed and
the other way.

`python -m validation corpus --count N --seed S` prints what came of them. A new family is a
function in `families`, `castings` or `assemblies` with the decorator `@family`.
"""
