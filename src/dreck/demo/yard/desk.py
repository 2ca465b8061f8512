"""The desk: one function that has grown with every wish anybody had."""


def handle(kind, kilos, member, wet, desk):
    """What happens to a load at the desk, as a list of lines for the slip."""
    slip = []
    if kilos > 0:
        if kind == "paper" and wet:
            slip.append("dry first")
        if member:
            if kind == "battery":
                slip.append("vault")
                if kilos > 50:
                    desk.call_officer()
                    slip.append("officer")
            else:
                slip.append("member")
                if kind == "paper":
                    if not wet:
                        slip.append("press")
                elif kind == "glass":
                    slip.append("crusher")
        else:
            if kind == "battery":
                if kilos > 10:
                    slip.append("refused")
                    return slip
                else:
                    slip.append("vault")
            elif kind == "paper":
                if not wet:
                    slip.append("press")
                    slip.append("pay " + str(kilos))
            else:
                if kind == "glass":
                    slip.append("crusher")
                slip.append("pay " + str(kilos * 2))
        if kind == "battery" or kilos > 1000:
            slip.append("stamp")
    else:
        slip.append("nothing to do")
    return slip
