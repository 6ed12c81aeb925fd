"""What does a project keep beside a strand's cut and order? The orders that were dealt."""

from zeroknot.core.order.deal import Deal
from zeroknot.core.order.order import Order
from zeroknot.document.value import Value

MOST_DEALT = 12  # that a strand keeps to go back to
MOST_ROUNDS = 16


class Dealt(Value):
    """An order that was dealt.

    base  the order it was dealt from
    """

    deal: Deal
    base: Order
    order: Order
