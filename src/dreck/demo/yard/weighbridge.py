"""The weighbridge: two weighings make a net weight."""

SCALE_LIMIT = 40_000


def net_weight(gross, tare, bridge):
    """Kilos of the load alone; a reading that cannot be right is refused."""
    if gross is not None:
        if tare is not None:
            if gross > tare:
                net = gross - tare
                if net <= SCALE_LIMIT:
                    bridge.record(net)
                    return net
                else:
                    bridge.alarm("over the limit")
                    raise ValueError("over the limit")
            else:
                raise ValueError("tare above gross")
        else:
            raise ValueError("no tare reading")
    else:
        raise ValueError("no gross reading")


def settle(readings):
    """The mean of readings once the scale has come to rest, None while it still swings."""
    result = None
    if len(readings) >= 3:
        last = readings[-3:]
        spread = max(last) - min(last)
        if spread <= 20:
            result = sum(last) / 3
    return result


def print_ticket(weighing, printer, copies=1):
    """Prints a ticket; returns whether paper was left."""
    try:
        if weighing.net:
            if not printer.is_ready:
                printer.wake()
            for _ in range(copies):
                printer.line(weighing.number, weighing.net)
                if weighing.customer:
                    printer.line(weighing.customer)
                else:
                    printer.line("cash")
            ok = True
        else:
            ok = False
    except OSError:
        ok = False
    return ok
