"""Fees: by weight, by material, and for those who come often."""


def fee(material, kilos, member, today=None):
    """Cents for one load."""
    if material == "glass":
        if kilos < 100:
            cents = 0
        elif kilos < 1000:
            cents = kilos * 2
        else:
            cents = kilos * 3
    elif material == "paper":
        if kilos < 50:
            cents = 0
        elif kilos < 500:
            cents = kilos
        else:
            cents = kilos * 2
    elif material == "metal":
        # we pay for metal
        cents = -kilos * 5
    elif material == "battery":
        if kilos < 10:
            cents = 500
        else:
            cents = 500 + (kilos - 10) * 40
    else:
        cents = kilos * 8
    if member:
        if cents > 0:
            cents = cents * 9 // 10
    return cents


def weight_band(kilos: int) -> str:
    """The letter printed on the ticket."""
    if kilos < 100:
        return "A"
    elif kilos < 500:
        return "B"
    elif kilos < 2000:
        return "C"
    elif kilos < 10000:
        return "D"
    else:
        return "E"


def discount(account):
    """Percent off for an account."""
    percent = 0
    if account is not None:
        if account.is_active:
            if account.loads_this_year > 50 or account.tonnes_this_year > 200:
                percent = 15
            elif account.loads_this_year > 20:
                percent = 10
            if account.is_school:
                percent = percent + 5
    return percent


def is_payable(ticket):
    """Whether somebody has to pay at the desk."""
    if ticket.cents > 0 and not ticket.on_account and not ticket.void:
        return True
    else:
        return False
