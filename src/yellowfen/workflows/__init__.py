"""What a user does, one function each: between the pages or the commands on one side, the core and
the store on the other.

What holds for all of them, so that a docstring names only what comes besides: asked about a job, a
board, a run or another thing by its number, they raise NotFound where it is not there (any more);
given a value that cannot be right, InvalidValue; a record that can no longer be read, Damaged. A
board whose heat cannot be forecast is Refused by all that rest on its forecast. Whatever is raised,
nothing has changed.
"""
