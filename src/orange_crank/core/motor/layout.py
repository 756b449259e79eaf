"""Where each number stands in the arrays that go in and out of the integrator."""

# Numbers of the parameter array.
(
    P_RQ, P_RD, P_RR, P_A, P_POLES, P_J, P_OMEGA, P_VPEAK, P_ANGLE, P_RS, P_LS,
    P_C1, P_R1, P_C2, P_R2, P_PICKUP, P_DROPOUT, P_BLEED,
    P_PTC_HOT, P_PTC_J, P_PTC_TAU,
    P_FIRE, P_RAMP, P_CEILING, P_BYPASS,
    P_TS, P_TR, P_RISE, P_PULSE, P_LOCKED, P_HOLD,
    P_FAN_PEAK, P_FAN_PHASE, P_FAN_EXTRA, P_FAN_TAU,
    P_AVR_S, P_AVR_MAX, P_LIMIT_A,
    P_BREAKER_A, P_BREAKER_TAU, P_BREAKER_TRIP, P_BREAKER_MAG, P_OVERLOAD_J, P_OVERLOAD_TAU,
    P_COIL_OUT, P_COIL_IN, P_COIL_S, P_LQ, P_LD, P_LR, P_LM, P_COUNT,
) = range(52)  # fmt: skip

NO_AID, START_CAPACITOR, PTC, SOFT = 0, 1, 2, 3
(
    E_RELAY_OPEN, E_RELAY_CLOSE, E_FIRE, E_BLOCK, E_BYPASS, E_BREAKER, E_OVERLOAD, E_CONTACTOR_OPEN,
    E_CONTACTOR_CLOSE,
) = range(9)  # fmt: skip
(
    B_IN, B_SOURCE_LOSS, B_COPPER, B_ROTOR, B_BRANCH, B_SWITCH, B_MECH, B_LOAD, B_FAN, B_COUNT,
) = range(10)  # fmt: skip
