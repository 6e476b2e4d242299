"""What a look at a kind of part says as evidence."""

from galene.core.diagnosis.inference import LookSign

LOOK_SIGNS: dict[str, LookSign] = {
    "throttle_body": LookSign(evidence="look_throttle_clean", means_clean=True),
    "maf_sensor": LookSign(evidence="look_maf_clean", means_clean=True),
    "map_sensor": LookSign(evidence="soot_on_map_sensor"),
    "boost_sensor": LookSign(evidence="soot_on_boost_sensor"),
    "intake_ports": LookSign(evidence="ports_coked_seen"),
    "intake_manifold": LookSign(evidence="manifold_coked_seen"),
    "egr_passage": LookSign(evidence="egr_passage_blocked_seen"),
    "egr_dp_ports": LookSign(evidence="dp_ports_blocked_seen"),
    "egr_cooler": LookSign(evidence="cooler_face_plugged"),
    "exhaust_pressure_tube": LookSign(evidence="tube_blocked_seen"),
    "crankcase_pressure_hose": LookSign(evidence="hose_clear", means_clean=True),
}
