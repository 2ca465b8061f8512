"""The sorting line: loads become bins, bales and rejects."""

from materials import Material


def sort_loads(loads, bins, log):
    """Puts each load where it belongs; returns how many went in."""
    sorted_in = 0
    for load in loads:
        if load.checked:
            if load.kilos > 0:
                target = bins.get(load.material)
                if target is not None:
                    if load.wet:
                        # wet paper rots in the bin
                        if load.material == Material.PAPER:
                            log.append(("dry first", load))
                            continue
                    target.append(load)
                    sorted_in += 1
                else:
                    log.append(("no bin", load))
            else:
                log.append(("empty", load))
        else:
            log.append(("unchecked", load))
    return sorted_in


def fullest(bins, limit):
    """The name of the fullest bin over the limit."""
    name = None
    most = limit
    for key in bins:
        if len(bins[key]) > most:
            most = len(bins[key])
            name = key
    return name


def rejects(loads):
    """Loads that must be sorted again by hand."""
    found = []
    for load in loads:
        if not load.checked:
            found.append(load)
        elif load.wet and load.material == Material.PAPER:
            found.append(load)
        elif load.kilos <= 0:
            found.append(load)
    return found


def line_speed(kilos_per_hour, crew, night):
    """How fast the belt runs, in steps from 0 to 4."""
    if crew >= 2:
        if night:
            if kilos_per_hour > 2000:
                return 2
            else:
                return 1
        else:
            if kilos_per_hour > 6000:
                return 4
            elif kilos_per_hour > 3000:
                return 3
            else:
                return 2
    else:
        return 0
