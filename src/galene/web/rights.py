"""Which right each route asks for. A route that is not listed can not be registered."""

from galene.core.calculations.catalogue import every as every_calculation
from galene.jobs.rights import Right

_LISTED: dict[Right, str] = {
    Right.OPEN: """
        GET /sign-in
        POST /sign-in
        POST /sign-in/second-factor
        POST /sign-in/first-password
        POST /sign-in/pin
        POST /sign-out
        GET /set-up/{secret}
        POST /set-up/{secret}
        GET /healthz
        GET /readyz
        GET /sw.js
        GET /o/{secret}
        POST /o/{secret}/answer
        GET /o/{secret}/pictures/{name}.jpg
        GET /o/{secret}/report.pdf
        GET /calendar/{secret}.ics
        POST /api/bridge/pair
        POST /api/bridge/batches
        GET /api/bridge/events
        GET /api/docs
        GET /api/v1/calculations
        POST /api/v1/calculations/{name}
        POST /api/v1/assessments
        POST /api/v1/judgements
        POST /api/v1/plans
        POST /api/v1/proofs
        POST /api/v1/scopes
    """,
    Right.ACCOUNT: """
        POST /view
        GET /account
        POST /account/password
        POST /account/pin
        POST /account/second-factor
        POST /account/second-factor/confirm
        POST /account/second-factor/off
        POST /account/sessions/end
        POST /account/sessions/{key}/end
    """,
    Right.READ: """
        GET /
        GET /api/v1/families/{family_id}/bands
        GET /api/v1/fleet
        GET /api/v1/jobs
        GET /api/v1/jobs/{number}
        GET /api/v1/minutes
        GET /api/v1/parts
        GET /api/v1/vehicles/{plate}/fuel
        GET /api/v1/vehicles/{plate}/growth
        GET /bundles
        GET /fleet
        GET /jobs/{number}
        GET /jobs/{number}/bores/{part}
        GET /jobs/{number}/bridge
        GET /jobs/{number}/bundle.zip
        GET /jobs/{number}/checks/{check_id}
        GET /jobs/{number}/diagnosis
        GET /jobs/{number}/events
        GET /jobs/{number}/evidence
        GET /jobs/{number}/handover
        GET /jobs/{number}/intake
        GET /jobs/{number}/live/events
        GET /jobs/{number}/live/stands
        GET /jobs/{number}/logs
        GET /jobs/{number}/logs/{log_id}
        GET /jobs/{number}/logs/{log_id}/rows.csv
        GET /jobs/{number}/logs/{log_id}/strip/{channel_id}
        GET /jobs/{number}/owner
        GET /jobs/{number}/pictures
        GET /jobs/{number}/pictures/{picture_id}
        GET /jobs/{number}/plan
        GET /jobs/{number}/plan/compare
        GET /jobs/{number}/plan/draft
        GET /jobs/{number}/plan/works/{part}
        GET /jobs/{number}/prove
        GET /jobs/{number}/relearn
        GET /jobs/{number}/report
        GET /jobs/{number}/report.pdf
        GET /jobs/{number}/parts/{part}
        GET /jobs/{number}/trace
        GET /jobs/{number}/waste.csv
        GET /jobs/{number}/work
        GET /pictures/{name}.jpg
        GET /reference
        GET /reference/facts
        GET /reference/families/{family_id}
        GET /reference/families/{family_id}/bands
        GET /reference/families/{family_id}/bands/file
        GET /reference/families/{family_id}/edit
        GET /reference/families/{family_id}/file
        GET /reference/minutes
        GET /reference/templates
        GET /reference/templates/{kind}/{template_id}
        GET /reference/templates/{kind}/{template_id}/file
        GET /shelf
        GET /shelf/matrix
        GET /shelf/matrix/cell
        GET /shelf/parts
        GET /shelf/parts/{part_id}
        GET /shelf/reorder.csv
        GET /shelf/{product_id}
        GET /shelf/{product_id}/sheets/{sheet_id}
        GET /vehicles
        GET /vehicles.csv
        GET /vehicles/{plate}
        GET /vehicles/{plate}/bundle.zip
        GET /vehicles/{plate}/fuel
        GET /vehicles/{plate}/fuel.csv
        GET /vehicles/{plate}/where
        GET /worksheets
        GET /worksheets/bore-restriction
        POST /worksheets/bore-restriction
        POST /worksheets/bore-restriction/live
        GET /worksheets/{name}
        POST /worksheets/{name}
    """,
    Right.WORK: """
        POST /fleet/calendars
        POST /fleet/calendars/{feed}/close
        GET /jobs/new
        POST /jobs/new
        GET /jobs/new/found
        POST /jobs/{number}/accept
        POST /jobs/{number}/advance
        POST /jobs/{number}/back
        POST /jobs/{number}/before-missing
        POST /jobs/{number}/bores/{part}
        POST /jobs/{number}/bores/{part}/live
        POST /jobs/{number}/bridge
        POST /jobs/{number}/bridge/end
        POST /jobs/{number}/bridge/same
        POST /jobs/{number}/bulletins
        POST /jobs/{number}/checks/{check_id}
        POST /jobs/{number}/checks/{check_id}/live
        POST /jobs/{number}/checks/{check_id}/opened
        POST /jobs/{number}/checks/{check_id}/closed
        POST /jobs/{number}/clear
        POST /jobs/{number}/codes
        POST /jobs/{number}/codes/frame
        POST /jobs/{number}/codes/preview
        POST /jobs/{number}/codes/remove
        POST /jobs/{number}/confirm
        POST /jobs/{number}/enter/{kind}
        POST /jobs/{number}/entries
        POST /jobs/{number}/found
        POST /jobs/{number}/handover
        POST /jobs/{number}/intake
        POST /jobs/{number}/isolation
        POST /jobs/{number}/join
        POST /jobs/{number}/key-on
        POST /jobs/{number}/live/clear
        POST /jobs/{number}/live/codes
        POST /jobs/{number}/live/held
        POST /jobs/{number}/live/key-on
        POST /jobs/{number}/live/learned
        POST /jobs/{number}/live/let-go
        POST /jobs/{number}/live/pending
        POST /jobs/{number}/live/press/{check_id}
        POST /jobs/{number}/live/relearn
        POST /jobs/{number}/live/road/begin
        POST /jobs/{number}/live/road/end
        POST /jobs/{number}/live/routine
        POST /jobs/{number}/live/run/{check_id}
        POST /jobs/{number}/live/take
        POST /jobs/{number}/live/trace/{check_id}
        POST /jobs/{number}/logs
        POST /jobs/{number}/logs/{log_id}/away
        POST /jobs/{number}/logs/{log_id}/mapping
        POST /jobs/{number}/logs/{log_id}/readings
        POST /jobs/{number}/logs/{log_id}/stretches
        POST /jobs/{number}/looks
        POST /jobs/{number}/maker-code
        POST /jobs/{number}/owner
        POST /jobs/{number}/owner/words/{word_id}
        POST /jobs/{number}/owner/{link_id}/close
        POST /jobs/{number}/pass-on
        POST /jobs/{number}/pending
        POST /jobs/{number}/pictures
        POST /jobs/{number}/pictures/{picture_id}
        POST /jobs/{number}/plan
        POST /jobs/{number}/plan/approve
        POST /jobs/{number}/plan/school
        POST /jobs/{number}/readings
        POST /jobs/{number}/relearn/{action}
        POST /jobs/{number}/road-test
        POST /jobs/{number}/start
        POST /jobs/{number}/steps/{step_id}/add
        POST /jobs/{number}/steps/{step_id}/edit
        POST /jobs/{number}/steps/{step_id}/leave-out
        POST /jobs/{number}/tap
        POST /jobs/{number}/work/begin
        POST /reference/families/{family_id}/bulletins
        POST /shelf/parts/{part_id}/arrived
        POST /shelf/parts/{part_id}/count
        POST /shelf/{product_id}/lots
        POST /shelf/{product_id}/lots/{lot_id}
        POST /shelf/{product_id}/sheets
        GET /vehicles/new
        POST /vehicles/new
        GET /vehicles/{plate}/record
        POST /vehicles/{plate}/record
        GET /vehicles/take-in
        POST /vehicles/take-in
        POST /vehicles/take-in/preview
        POST /vehicles/{plate}/bulletins
        POST /vehicles/{plate}/fuel
        POST /vehicles/{plate}/fuel/preview
        POST /vehicles/{plate}/fuel/take-in
        POST /vehicles/{plate}/fuel/{fill_id}/remove
    """,
    Right.DRAFT: """
        POST /reference/families
        POST /reference/families/{family_id}/edit/add
        POST /reference/families/{family_id}/edit/bands
        POST /reference/families/{family_id}/edit/bus
        POST /reference/families/{family_id}/edit/begin
        POST /reference/families/{family_id}/edit/drop
        POST /reference/families/{family_id}/edit/facts
        POST /reference/families/{family_id}/edit/operation
        POST /reference/families/{family_id}/edit/operation-place
        POST /reference/families/{family_id}/edit/part
        POST /reference/families/{family_id}/edit/picture
        POST /reference/families/{family_id}/edit/remove-part
        POST /reference/families/{family_id}/edit/spares
        POST /reference/families/{family_id}/edit/undo
    """,
    Right.EXPORT: """
        GET /bundles/all.zip
        GET /bundles/some.zip
        GET /tables/{name}.csv
    """,
    Right.PUBLISH: """
        POST /reference/families/take-in
        POST /reference/families/{family_id}/edit/publish
    """,
    Right.TEMPLATES: """
        POST /reference/templates/{kind}/{template_id}
    """,
    Right.PRODUCTS: """
        POST /shelf
        POST /shelf/parts
        POST /shelf/{product_id}
        POST /shelf/{product_id}/retire
    """,
    Right.RULES: """
        POST /shelf/{product_id}/overrides
    """,
    Right.BANDS: """
        POST /reference/families/{family_id}/bands/take-in
        POST /reference/families/{family_id}/bands/{sample}
    """,
    Right.SIGN: """
        POST /jobs/{number}/sign
    """,
    Right.REOPEN: """
        POST /jobs/{number}/reopen
    """,
    Right.OVERRIDE: """
        POST /jobs/{number}/resolve
    """,
    Right.SETTINGS: """
        POST /reference
    """,
    Right.BUNDLES_IN: """
        POST /bundles
        POST /bundles/look
    """,
    Right.LEARNING: """
        GET /reference/learning
    """,
    Right.PEOPLE: """
        GET /people
        POST /people
        GET /people/{person_id}
        POST /people/{person_id}
        POST /people/{person_id}/code
        POST /people/{person_id}/close
        POST /people/{person_id}/open
        POST /people/{person_id}/sessions/end
        POST /people/policy
        POST /people/tablets
        POST /people/tablets/{device_id}/end
    """,
    Right.KEEPERS: """
        POST /vehicles/{plate}/merge
        POST /vehicles/{plate}/retire
        POST /vehicles/{plate}/bring-back
        GET /keepers
        GET /keepers/data.json
        POST /keepers/erase
    """,
    Right.RUNNING: """
        GET /running
        POST /running/backup
    """,
}
ROUTES: dict[str, Right] = {
    **{f"POST /api/v1/calculations/{name}": Right.OPEN for name in every_calculation()},
    **{
        line.strip(): right
        for right, lines in _LISTED.items()
        for line in lines.strip().splitlines()
    },
}
"""The right by method and path, such as ``POST /jobs/{number}/sign``."""


def right_of(methods: set[str], path: str) -> Right:
    """The right that a route asks for.

    Raises
    ------
    LookupError
        A route that is not listed, or whose methods ask for different ones.
    """
    found = {ROUTES.get(f"{method} {path}") for method in methods - {"HEAD"}}
    right = found.pop() if len(found) == 1 else None
    if right is None:
        raise LookupError(f"{sorted(methods)} {path} is not listed in galene.web.rights")
    return right
