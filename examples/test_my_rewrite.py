"""Compare two versions inside a test of your own. Run it with `pytest`, or as it is."""

import dreck


def fee_before(material, kilos):
    if material == "metal":
        cents = -kilos * 5
    else:
        if kilos < 100:
            cents = 0
        else:
            cents = kilos * 2
    return cents


def fee_after(material, kilos):
    if material == "metal":
        return -kilos * 5
    if kilos < 100:
        return 0
    return kilos * 2


def test_the_rewrite_is_the_same():
    verdict = dreck.compare(fee_before, fee_after)
    assert verdict, verdict


if __name__ == "__main__":
    print(dreck.compare(fee_before, fee_after))
