"""Group delay and phase of filters to 40 digits, for tests/analysis.rs. Needs mpmath; prints delay.csv.

The filters are the binary64 numbers that stand in the file, so nothing is shared but the definition of H. The delay is the
central difference of the phase of H with a step of 1e-25 in arithmetic of 80 digits; no formula for a delay is used.
Each line: case, form, omega, delay, phase within (-pi, pi], then the numbers of the form:
roots:    count of zeros, count of poles, gain, re and im of each;  sections: b0 b1 b2 a1 a2 each;  taps: h each.
"""
import random

import mpmath as m

m.mp.dps = 80
random.seed(20261123)


def pairs(radius_angle):
    """Conjugate pairs as binary64, and so for both of them."""
    out = []
    for r, t in radius_angle:
        z = complex(float(m.mpf(r) * m.cos(t)), float(m.mpf(r) * m.sin(t)))
        out += [z, z.conjugate()]
    return out


def h_of(form, numbers, w):
    z = m.expj(w)
    if form == "roots":
        zeros, poles, gain = numbers
        h = m.mpf(gain)
        for q in zeros:
            h *= z - m.mpc(q)
        for p in poles:
            h /= z - m.mpc(p)
        return h
    if form == "sections":
        h = m.mpc(1)
        for b0, b1, b2, a1, a2 in numbers:
            h *= (b0 + b1 / z + b2 / z**2) / (1 + m.mpf(a1) / z + m.mpf(a2) / z**2)
        return h
    return sum(m.mpf(c) / z**k for k, c in enumerate(numbers))


def cases():
    # 24 poles in a band around 0.6 rad, 1e-4 from the circle, with zeros on it, at 1 and at -1.
    band = pairs([(1 - 1e-4 * (1 + k % 3), m.mpf("0.55") + k * m.mpf("0.01")) for k in range(12)])
    zeros = pairs([(1, m.mpf("0.3") + k * m.mpf("0.015")) for k in range(5)]) + [1.0, -1.0] * 2
    yield "band of order 24", "roots", (zeros, band, 1e-9)
    # A high-pass with its edge at 0.05 Hz of 1 kHz: two zeros at 1, poles 3e-4 beside it.
    slow = pairs([(1 - m.mpf("2.2e-4"), m.mpf("2.2e-4"))])
    yield "edge at 5e-5", "roots", ([1.0, 1.0], slow, 1.0)
    far = pairs([(1.7, 2.1), (0.6, 1.0)]) + [3.0, -0.25]
    yield "zeros outside", "roots", (far, pairs([(0.9, 0.4), (0.95, 2.8)]), -0.5)
    yield "sections", "sections", [(1.0, -1.2, 1.0, -1.6, 0.81), (0.5, 0.5, 0.0, -0.3, 0.0), (0.2, -1.0, 3.0, 0.4, 0.9)]
    yield "taps", "taps", [float(random.uniform(-1, 1)) for _ in range(40)]
    # Numerator 1 + z^-1 with another zero far away: antisymmetric in no way, null at the Nyquist frequency.
    yield "null at Nyquist", "taps", [1.0, 0.5, -0.5]


print("case,form,omega,delay,phase,numbers")
for name, form, numbers in cases():
    omegas = [1e-9, 1e-4, 2.3e-4, 0.05, 0.3100001, 0.555, 0.6, 0.61, 1.0, 2.0, 2.8, 3.0]
    omegas += [float(m.pi) - 1e-6, float(m.pi) - 1e-9]
    if form == "taps":
        omegas = omegas[:-1]
    for omega in omegas:
        w, step = m.mpf(omega), m.mpf(10) ** -25
        turn = h_of(form, numbers, w + step) / h_of(form, numbers, w - step)
        delay = -m.arg(turn) / (2 * step)
        phase = m.arg(h_of(form, numbers, w))
        if form == "roots":
            zeros, poles, gain = numbers
            flat = [len(zeros), len(poles), gain]
            flat += [part for z in list(zeros) + list(poles) for part in (complex(z).real, complex(z).imag)]
        elif form == "sections":
            flat = [c for section in numbers for c in section]
        else:
            flat = numbers
        text = " ".join(repr(v) for v in flat)
        print(f"{name},{form},{omega!r},{m.nstr(delay, 20)},{m.nstr(phase, 20)},{text}")
