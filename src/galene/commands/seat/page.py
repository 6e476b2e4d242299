"""The seat's page: key, starter, pedal, loads and a drive, for each simulated car. It stands for
the person in the car and is no part of the workshop's program."""

from pathlib import Path
from typing import Annotated, Any

from fastapi import FastAPI, Form
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from jinja2 import Environment, FileSystemLoader

from galene.core.errors import InputError
from galene.demo.cars import Car
from galene.simulation.run import ACTIONS, TAKES

HERE = Path(__file__).parent
TEMPLATES = Environment(loader=FileSystemLoader(HERE), autoescape=True)
PEDAL = (0, 10, 25, 50)
SPEEDS = (1500, 2500)
LOADS = ("lamps", "rear_heater", "fan", "air_conditioning")
DRIVES = (("town", 4), ("road", 8), ("pull", 2))
SHOWN = ("rpm", "coolant_c", "speed_kmh", "voltage_v")


def seat_app(cars: list[Car]) -> FastAPI:
    """The seat of these cars.

    Parameters
    ----------
    cars : in the order in which they are shown
    """
    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    by_plate = {c.story.plate: c for c in cars}
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")

    @app.get("/")
    def show() -> HTMLResponse:
        page = TEMPLATES.get_template("seat.html")
        told = {plate: state_of(car) for plate, car in by_plate.items()}
        return HTMLResponse(
            page.render(
                cars=by_plate,
                told=told,
                pedals=PEDAL,
                speeds=SPEEDS,
                loads=LOADS,
                drives=DRIVES,
            )
        )

    @app.get("/{plate}/state")
    def state(plate: str) -> JSONResponse:
        car = by_plate.get(plate)
        return JSONResponse(state_of(car)) if car else JSONResponse({}, 404)

    @app.post("/{plate}/{do}")
    def act(
        plate: str,
        do: str,
        value: Annotated[float | None, Form()] = None,
        name: Annotated[str, Form()] = "",
        kind: Annotated[str, Form()] = "",
        minutes: Annotated[float | None, Form()] = None,
    ) -> Response:
        car = by_plate.get(plate)
        if car is None or do not in ACTIONS or do in ("command", "routine", "clear_codes"):
            return JSONResponse({"error": "no such car or action"}, 404)
        given: dict[str, Any] = {"value": value, "name": name, "kind": kind, "minutes": minutes}
        if do == "load":
            given["on"] = name not in car.vehicle.wishes.loads
        fields = {k: v for k, v in given.items() if k in TAKES.get(do, ()) and v not in (None, "")}
        try:
            with car.station.in_hand() as vehicle:
                ACTIONS[do](vehicle, fields, "")
        except InputError as fault:
            return JSONResponse({"error": str(fault)}, 422)
        return RedirectResponse(f"/#{plate}", 303)

    return app


def state_of(car: Car) -> dict[str, Any]:
    """What the one in the seat sees."""
    with car.station.in_hand() as vehicle:
        row = vehicle.row()
        return {
            "key": vehicle.wishes.key,
            "runs": vehicle.engine.running,
            "drives": vehicle.road is not None,
            "loads": sorted(vehicle.wishes.loads),
            **{name: round(row[name], 1) for name in SHOWN if name in row},
        }
