"""The steps of the package, tested with Dreck's own kit."""

from yard_steps import LOGGED, SHORT_FIRST

from dreck.kit import assert_after, assert_stays


def test_the_short_branch_comes_first():
    assert_after(SHORT_FIRST, SHORT_FIRST.before, SHORT_FIRST.after)


def test_branches_that_leave_stay():
    assert_stays(
        SHORT_FIRST,
        """
        def weigh(load):
            if load.wet:
                load.dry()
                load.turn()
                return load.scale()
            else:
                return load.kilos
        """,
    )


def test_what_changes_the_program_is_never_taken():
    assert_stays(LOGGED, LOGGED.before, verdict="tested", settings={"words": "gone"})
