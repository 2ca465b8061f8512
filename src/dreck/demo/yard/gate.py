"""The gate: who may bring what into the yard, and when."""

from materials import HAZARDOUS


class Refused(Exception):
    """The barrier stays down; the text says why."""


def admit(load, permit, gate):
    """Decides what the board at the gate shows, and lifts the barrier when the load may come in."""
    decision = None
    if gate.is_open:
        # nobody gets in without papers
        if permit is not None:
            if permit.valid_until >= gate.today:
                if load.material in permit.materials:
                    if load.kilos <= permit.max_kilos:
                        gate.lift_barrier()
                        decision = "admit"
                    else:  # send them to the public weighbridge
                        decision = "refuse: too heavy"
                else:
                    decision = "refuse: material not on permit"
            else:
                decision = "refuse: permit expired"
        else:
            decision = "refuse: no permit"
    else:
        decision = "refuse: yard closed"
    return decision


def check_in(load, register, clerk=None):
    """Books a load into the register; raises Refused when it must not be booked."""
    if load is not None:
        if load.kilos > 0:
            if load.material not in HAZARDOUS:
                number = register.next_number()
                register.book(number, load)
                if clerk:
                    clerk.tell(number)
                return number
            else:
                # batteries go through the side door
                raise Refused("hazardous")
        else:
            raise Refused("empty load")
    else:
        raise Refused("no load")


def lane_for(load, lanes):
    """The first free lane that takes the load, None when there is none."""
    found = None
    for lane in lanes:
        if lane.open:
            if lane.queue < 5 and load.material in lane.materials:
                found = lane
                break
    return found


def waiting_time(queue, staff):
    """Minutes a driver waits at the gate."""
    if queue:
        if staff == 0:
            return None
        else:
            minutes = queue * 4
            if staff > 1:
                minutes = minutes / staff
            if minutes > 60:
                minutes = 60
            return minutes
    else:
        return 0
