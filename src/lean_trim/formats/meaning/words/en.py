"""English, with the abbreviations that are used in all languages."""

WORDS: dict[str, str] = {
    # Whole channels in one word.
    "rpm": "rotation rate, engine rotation rate, rotational speed, engine rotation, "
    "engine shaft speed, shaft speed engine, "
    "rpm, 1 min, rev min, revs min, rev per min, revs per min, revolutions per min, turns per min, "
    "rounds per min, u min, tr min, obr min, rot min, giri min, tours min, "
    "revs, rev, tach*, engine rpm, n engine, nmot, erpm, revolutions, revcount*, "
    "rev count, espeed",
    "vss": "vss, vehspd, vspd, vehiclespeed, velocity, car speed",
    "map": "map, mapabs, map abs, imap, mapabs",
    "maf": "maf, mafs, airmass, hfm, afm, airflow meter, air flow meter, airflow sensor, air "
    "meter, "
    "mass airflow",
    "throttle": "throttl*, tps, tp, thr, tpos, thrpos, butterfly, etb, thrtl",
    "iat": "iat, act, mat, intaketemp, air box temp, airbox temp",
    "ect": "w temp, ect, clt, cts, coolanttemp",
    "vbat": "charging voltage, supply voltage, kl30, kl 30, relay voltage, "
    "vbat, vbatt, batv, battv, ubat, ubatt, batt, bat, battery, vsys, "
    "volts, ignition voltage, system voltage, sys v, ub",
    "stft": "s trim, strim, stft, stft1, sft, stfuel, ft short, stfb, shrtft, sht ft, "
    "short ft, shortft, short fuel, "
    "st ft, ft st, instant fuel trim, instant trim",
    "ltft": "l trim, ltrim, ltft, lft, ltfuel, longft, long ft, learned trim, learnt trim, lt ft, "
    "ft lt",
    "pw": "pw, ipw, pulsewidth, pulse width, injpw, ti, tinj, injection duration, pulse, pulse "
    "length, "
    "injection time, inj time, injector time, inj dur, injdur, injector on time, pwidth, "
    "injector opening time, injector open time",
    "idc": "idc, injdc, injduty, injector dc, inj dc",
    "loop": "loop, closedloop, closed loop, fuel system, fuel sys, fuelsys, fsys, cl, feedback, "
    "fuelling mode, "
    "fb, lambda control, lambda regulation, mixture control, "
    "cl act, clp",
    "baro": "baro*, atm, atmos*, ambient press*, amb pressure, p amb, pamb, patm, p atm, amb p",
    "spark": "spark, ign, ignadv, sparkadv, advance, timing, timing advance, ign adv, ignition*, "
    "ign angle, "
    "spk, adv",
    "knock": "knock*, detonation, kr",
    "gear": "gear, gearpos, gears",
    "time": "time, timestamp*, t, elapsed, clock, seconds, millis, datetime, logtime, time stamp, "
    "tstamp, utc, "
    "clk, moment, instant, "
    "ts, "
    "tm, chrono",
    "date": "date, day",
    # Mixture.
    "mixture": "lambda, λ, afr, air fuel, airfuel, a f, phi, mixture, equivalence, eq ratio, eqr, "
    "eqrat, lam, "
    "air fuel ratio",
    "wideband": "wideband, wide band, uego, wbo2, wbo, wb, wideo2",
    "o2": "o2, oxygen, ego, o2s, lambda sensor, oxygen sensor, hego",
    "trim": "trim*, fueltrim",
    "short": "short, short term, shortterm, st, shrt, fast, quick, rapid",
    "long": "long, long term, longterm, lt, learn*, adapt*, block learn, slow",
    "integrator": "integrator",
    # Subjects.
    "engine": "crankshaft, engine, eng, motor, crank*",
    "vehicle": "vehicle, road, veh, car, ground",
    "wheel": "wheel*, whl",
    "gps": "gps, gnss",
    "manifold": "manifold, man, plenum, inlet manifold",
    "intake": "induction, intake, inlet, charge, int",
    "boost": "boost, boostpress*",
    "vacuum": "vacuum, vac",
    "exhaust": "exhaust, egt, exh, emap, backpressure",
    "ambient": "ambient, outside, outdoor",
    "fuel": "fuel, fuelling, fueling, gasoline, petrol",
    "rail": "rail, fuelrail, frp",
    "oil": "oil",
    "coolant": "coolant, water, cool, h2o, block temp",
    "air": "air, airflow",
    "pedal": "pedal*, accelerator, accel, app, pps, aps",
    "injector": "injector*, inj, injection, injectors",
    "battery": "supply, system voltage, module voltage, control module, ecu voltage, "
    "ecu volts, power supply, main relay voltage",
    "turbo": "turbo*, compressor, supercharger",
    "cam": "cam, camshaft, vvt, vanos, vct, intake cam, exhaust cam",
    "egr": "egr",
    "fan": "fan",
    "gearbox": "gearbox, transmission, trans, clutch, shaft, driveshaft, propshaft, input shaft",
    "wastegate": "wastegate, wg, wgdc, bcs",
    "purge": "purge, evap*, canister",
    "idle": "idle, iac, isc, iscv",
    "tank": "tank, level",
    "pump": "pump",
    "alternator": "alternator, generator",
    "catalyst": "catalyst, cat, converter",
    "cylinder": "cyl, cylinder*",
    "load": "load, calc load, torque, power",
    "accel": "acceleration, lateral, longitudinal, yaw, gyro, steering, brake*, g force",
    "bankgap": "bank difference, bank gap",
    "ethanol": "ethanol, flex, flexfuel, alcohol, e content",
    "altitude": "altitude, height, elevation, latitude, longitude, heading",
    "dead": "dead time, deadtime, latency, offset, dwell, coil, opening time",
    "source": "airflow source, airflow model, airflow mode, load source, maf share, maf blend, maf "
    "active, "
    "maf in use, ve maf mode, maf ve mode, ve maf blend, maf ve blend, ve maf source, air source",
    "sensor": "sensor, snsr, sens, probe",
    "misfire": "misfire*",
    "ve": "ve, volumetric, efficiency",
    # Quantities.
    "speed": "speed, spd, velocity",
    "pressure": "press*, prs",
    "temp": "deg c, deg f, temp, temperatur*, tmp",
    "flow": "flow, massflow, rate of flow, flow rate, flowrate",
    "mass": "mass",
    "position": "position, pos, opening, plate, openness",
    "angle": "angle, degree*, deg",
    "freq": "freq*, hz, frequency, period",
    "duration": "width, duration, open time, on time",
    "retard": "retard, pull*, kr deg",
    "ratio": "ratio",
    "absolute": "absolute, abs",
    "gauge": "gauge, relative, rel",
    "delta": "across, delta, diff, differential, dp",
    # Qualifiers.
    "measured": "measured, actual, act val, reading, meas, real, current value, monitor, "
    "pv, process value, observed, sensed",
    "wanted": "target*, tgt, trg, desired, des, command*, cmd, cmded, request*, req, setpoint, set "
    "point, "
    "goal, demand*, wanted, reference, ref, aim, nominal, "
    "sp, prescribed, intended",
    "limit": "limit*, max*, min, mins, minim*, limiter, cut, cutoff, cut off, redline, threshold, "
    "ceiling, floor, "
    "lim, peak, "
    "high, low, hi, lo, ceil",
    "error": "error, err, deviation, dev, mismatch",
    "correction": "correction*, corr, cor, compensation, comp, enrichment, enrich*, multiplier, "
    "mult, adder, "
    "modifier, factor, adjust*",
    "rate": "rate, gradient, slope, per second, derivative, dot, roc, delta per, change",
    "voltage": "voltage, volt*, mv",
    "status": "status, state, flag, mode, active, enabled, ready, enable, fault, alarm, warning",
    "duty": "duty, dutycycle, duty cycle, dc",
    "heater": "heater, heat, heating, htr",
    "raw": "raw, adc, counts, count, unfiltered",
    "index": "cell, index, idx, id, number, nr, block, bin, counter",
    "average": "average, avg, mean, filtered, smoothed, filt",
    "current": "current, amps, ampere",
    # Places.
    "after": "post, after, rear, downstream, post cat, postcat, secondary",
    "before": "pre, before, front, upstream, pre cat, precat, primary",
}
