"""What must be said before any ranking: a state of the car that hurts somebody or ends the engine
if work goes on.

Sources: physics (liquid does not compress; an unthrottled engine runs on whatever it is fed) and
workshop practice; the probabilities from which a cause counts as likely are this project's
defaults.
"""

from galene.core.diagnosis.records import DangerRule

DANGERS: tuple[DangerRule, ...] = (
    DangerRule(
        id="coolant_in_gas",
        text=(
            "Coolant may stand in a cylinder: it is not cranked, not run, and nothing is cleaned"
            " before the cooling system has been pressed cold and holds."
        ),
        causes={"egr_cooler_leak": 0.2},
        evidence=(
            "coolant_loss",
            "white_sweet_smoke",
            "coolant_low_cold",
            "coolant_pressure_falls",
        ),
        components=("egr_cooler",),
        checks=("coolant_level_cold", "cooler_pressure_test"),
        settled_by=("coolant_pressure_falls",),
        forbids_start=True,
    ),
    DangerRule(
        id="coolant_lost",
        text=(
            "Coolant goes somewhere: find where before it runs under load; a head that leaks locks"
            " a cylinder."
        ),
        evidence=("coolant_loss", "white_sweet_smoke"),
        without=("egr_cooler",),
        only={"cooling": "liquid"},
    ),
    DangerRule(
        id="runs_on_oil",
        text=(
            "A diesel that idles high burns oil or fuel that nobody gave it, and can run away: stop"
            " it, do not test it running. It is stopped by shutting its air, not by its key."
        ),
        causes={"turbo_seal_leak": 0.25},
        evidence=("high_idle",),
        only={"fuel": "diesel"},
    ),
    DangerRule(
        id="fuel_in_oil",
        text=(
            "Fuel in the oil from burn-offs that broke off: it thins the oil, and a diesel can run"
            " away on it. No burn-off and no load before the oil is changed."
        ),
        evidence=("oil_level_high", "oil_smells_of_fuel"),
        components=("particulate_filter",),
        only={"fuel": "diesel"},
    ),
)
