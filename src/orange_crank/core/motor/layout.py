"""Where each number stands in the arrays that go in and out of the integrator, and its unit."""

# Parameters, SI.
P_RQ = 0  # run winding's resistance, hot [Ω]
P_RD = 1  # start winding's resistance, hot [Ω]
P_RR = 2  # rotor's resistance, referred to the run winding [Ω]
P_A = 3  # turns, start over run winding [1]
P_POLES = 4  # poles [1]
P_J = 5  # inertia of all that turns [kg·m²]
P_OMEGA = 6  # line frequency [rad/s]
P_VPEAK = 7  # source's peak volts at no load [V]
P_ANGLE = 8  # phase of the source at closing [rad]
P_RS = 9  # source and conductors, resistance [Ω]
P_LS = 10  # source and conductors, inductance [H]
P_C1 = 11  # run capacitor; 0 is none [F]
P_R1 = 12  # in series with the run capacitor [Ω]
P_C2 = 13  # start capacitor; 0 is none [F]
P_R2 = 14  # in series with the start capacitor; a PTC's own, cold [Ω]
P_PICKUP = 15  # relay opens above this half-cycle S–C; 0 is no relay [V]
P_DROPOUT = 16  # relay closes again under it [V]
P_BLEED = 17  # across the start capacitor [Ω]
P_PTC_HOT = 18  # PTC, hot [Ω]
P_PTC_J = 19  # heat at which a PTC leaps [J]
P_PTC_TAU = 20  # time in which a PTC loses its heat [s]
P_PTC_J0 = 21  # heat left in a PTC from the last start [J]
P_FIRE = 22  # first firing angle of the thyristors [rad]
P_RAMP = 23  # time from first firing to full conduction [s]
P_CEILING = 24  # ceiling on the half-cycle line current; 0 is none [A]
P_BYPASS = 25  # speed at which a soft starter may bypass, of synchronous [1]
P_TS = 26  # load torque at standstill [N·m]
P_TR = 27  # load torque once pressures are made [N·m]
P_RISE = 28  # time in which pressure builds [s]
P_PULSE = 29  # pulsation of the load torque, of its mean [1]
P_LOCKED = 30  # above 0: the rotor cannot turn
P_HOLD = 31  # speed held; below 0 is none [rad/s]
P_FAN_PEAK = 32  # fan's running current, peak [A]
P_FAN_PHASE = 33  # by which it lags [rad]
P_FAN_EXTRA = 34  # what it takes more at first, of running [1]
P_FAN_TAU = 35  # time in which that dies away [s]
P_AVR_S = 36  # regulator's time; 0 is none [s]
P_AVR_MAX = 37  # regulator's ceiling, of rated volts [1]
P_LIMIT_A = 38  # inverter's limit on one-cycle current; 0 is none [A]
P_EMF = 39  # source volts at closing, of no load: what an inverter's limit leaves [1]
P_BREAKER_A = 40  # breaker's rating; 0 is none [A]
P_BREAKER_TAU = 41  # breaker's thermal time [s]
P_BREAKER_TRIP = 42  # its heat at which it trips, (amps ÷ rating)² [1]
P_BREAKER_MAG = 43  # trips at once above, of its rating [1]
P_OVERLOAD_J = 44  # heat at which the overload opens; 0 is none [A²·s]
P_OVERLOAD_TAU = 45  # time in which the overload cools [s]
P_COIL_OUT = 46  # line volts under which the contactor lets go; 0 is never [V]
P_COIL_IN = 47  # line volts above which it pulls in again [V]
P_COIL_S = 48  # least time it stays out [s]
P_LQ = 49  # run winding's self-inductance [H]
P_LD = 50  # start winding's self-inductance [H]
P_LR = 51  # rotor's self-inductance, run axis [H]
P_LM = 52  # magnetising inductance, run axis [H]
P_SMOOTH = 53  # load torque that does not pulse: friction, pressures equal [N·m]
P_RELAY_IN_A = 54  # current relay closes above this one-cycle run winding current [A]
P_RELAY_OUT_A = 55  # and opens below this [A]
P_COUNT = 56

# Aids.
NO_AID, START_CAPACITOR, PTC, SOFT, CURRENT_RELAY = 0, 1, 2, 3, 4

# Events, and the figure that goes with each.
E_RELAY_OPEN = 0  # S–C, half-cycle [V]
E_RELAY_CLOSE = 1  # S–C, half-cycle [V]
E_FIRE = 2  # firing angle [rad]
E_BLOCK = 3  # current at blocking [A]
E_BYPASS = 4  # shaft speed [rad/s]
E_BREAKER = 5  # amps over rating [1]
E_OVERLOAD = 6  # line current, half-cycle [A]
E_CONTACTOR_OPEN = 7  # line volts, half-cycle [V]
E_CONTACTOR_CLOSE = 8  # line volts, half-cycle [V]
E_CURRENT_CLOSE = 9  # run winding, one cycle [A]
E_CURRENT_OPEN = 10  # run winding, one cycle [A]

# Energies booked [J].
B_IN = 0  # from the source
B_SOURCE_LOSS = 1  # in source and conductors
B_COPPER = 2  # in the stator's windings
B_ROTOR = 3  # in the cage
B_BRANCH = 4  # in the start branch: capacitors' resistance, PTC, bleed
B_SWITCH = 5  # lost when something switches
B_MECH = 6  # into the shaft
B_LOAD = 7  # out of the shaft, to the load
B_FAN = 8  # to the fan
B_COUNT = 9

# What follows the energies in the array of the end.
F_STORED = B_COUNT + 0  # in inductances and capacitors [J]
F_KINETIC = B_COUNT + 1  # in what turns [J]
F_BREAKER = B_COUNT + 2  # breaker's heat, (amps ÷ rating)² [1]
F_OVERLOAD = B_COUNT + 3  # overload's heat [A²·s]
F_START_IN = B_COUNT + 4  # 1 while the start branch is in
F_BRANCH_OHM = B_COUNT + 5  # in series with the start capacitor, or of the PTC [Ω]
F_EMF = B_COUNT + 6  # source volts, of no load [1]
F_PTC_J = B_COUNT + 7  # heat in the PTC [J]
F_COUNT = B_COUNT + 8
