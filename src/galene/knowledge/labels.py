"""Pictograms and statements of the Globally Harmonized System, as far as a workshop's cans bear
them."""

PICTOGRAMS: dict[str, str] = {
    "GHS01": "explosive",
    "GHS02": "flammable",
    "GHS03": "oxidising",
    "GHS04": "gas under pressure",
    "GHS05": "corrosive",
    "GHS06": "acutely toxic",
    "GHS07": "irritant",
    "GHS08": "harmful to health in the long run",
    "GHS09": "harmful to water",
}
STATEMENTS: dict[str, str] = {
    "H222": "Extremely flammable aerosol",
    "H225": "Highly flammable liquid and vapour",
    "H226": "Flammable liquid and vapour",
    "H229": "Pressurised: may burst if heated",
    "H304": "May be fatal if swallowed and enters airways",
    "H314": "Burns skin and eyes severely",
    "H315": "Irritates the skin",
    "H318": "Damages eyes seriously",
    "H319": "Irritates the eyes seriously",
    "H336": "May cause drowsiness or dizziness",
    "H351": "Suspected of causing cancer",
    "H361": "Suspected of harming fertility or the unborn",
    "H373": "May harm organs on long exposure",
    "H411": "Toxic to water life, lasting",
    "H412": "Harmful to water life, lasting",
    "P210": "Keep from heat, sparks and flames",
    "P211": "Do not spray on a flame or other ignition source",
    "P251": "Do not pierce or burn, even after use",
    "P260": "Do not breathe the spray",
    "P271": "Use only outdoors or well ventilated",
    "P273": "Keep out of drains and soil",
    "P280": "Wear gloves and eye protection",
    "P301+P310": "If swallowed: call a poison centre at once",
    "P305+P351+P338": "In the eyes: rinse for minutes, lenses out",
    "P410+P412": "Keep from sun and above 50 °C",
    "P501": "Dispose of by local rule",
}
"""The wording is this project's short form; the label's own wording wins."""
