"""Permits: who may bring what, how much and until when."""


def may_renew(permit, holder, today):
    """Whether a permit is renewed without a visit to the office."""
    if permit.valid_until >= today and not permit.suspended and holder.unpaid == 0 and holder.complaints < 3:
        if permit.renewals < 5 or (holder.is_school and permit.renewals < 10):
            return True
        else:
            return False
    else:
        return False


def find_permit(permits, holder_id, material, today):
    """The permit a holder has for a material; raises LookupError when there is none that holds today."""
    for permit in permits:
        if permit.holder_id == holder_id:
            if material in permit.materials:
                if permit.valid_until >= today:
                    if not permit.suspended:
                        return permit
    raise LookupError("no permit of " + str(holder_id) + " for " + str(material))


def reminder(permit, today, letters):
    """Sends at most one letter about a permit that runs out."""
    days = permit.valid_until - today
    if days >= 0:
        if days < 30:
            if not permit.reminded:
                if permit.email:
                    letters.mail(permit.email, days)
                else:
                    letters.post(permit.address, days)
                permit.reminded = True
                return True
            else:
                return False
        else:
            return False
    else:
        # too late for a reminder: the office takes over
        letters.hand_over(permit)
        return False
