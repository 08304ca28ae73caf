"""Complex responses of recursive filters to 60 digits, for tests/iir.rs. Needs mpmath; prints iir.csv and writes iir_poles.csv.

No poles are mapped for the responses: the digital one is the prototype's at the frequency that the bilinear transform and the
band transformation give, so the only thing in common with the library is the definition of the filters. Prototype poles:
Butterworth and Chebyshev in closed form, elliptic through mpmath's Jacobi functions and nome, Bessel through the roots of
the polynomial with its exact integer coefficients. Half-power points are found by bisection on the response.
"""
import mpmath as m

m.mp.dps = 60


def epsilon(db):
    return m.sqrt(m.mpf(10) ** (m.mpf(db) / 10) - 1)


def prototype(family, n, ripple, attenuation):
    """Zeros, poles, gain at zero frequency, and where the natural edges lie: {level in dB: frequency}."""
    angles = [m.pi * (2 * i + 1) / (2 * n) for i in range(n)]
    if family == "butterworth":
        return [], [m.mpc(-m.sin(t), m.cos(t)) for t in angles], m.mpf(1)
    if family == "chebyshev1":
        v = m.asinh(1 / epsilon(ripple)) / n
        dc = m.mpf(1) if n % 2 else m.mpf(10) ** (-m.mpf(ripple) / 20)
        return [], [m.mpc(-m.sinh(v) * m.sin(t), m.cosh(v) * m.cos(t)) for t in angles], dc
    if family == "chebyshev2":
        v = m.asinh(epsilon(attenuation)) / n
        poles = [1 / m.mpc(-m.sinh(v) * m.sin(t), m.cosh(v) * m.cos(t)) for t in angles]
        zeros = [m.mpc(0, 1 / m.cos(t)) for i, t in enumerate(angles) if 2 * i + 1 != n]
        return zeros, poles, m.mpf(1)
    if family == "elliptic":
        k1 = epsilon(ripple) / epsilon(attenuation)
        big1, big1c = m.ellipk(k1 ** 2), m.ellipk(1 - k1 ** 2)
        q = m.exp(-m.pi * big1c / big1 / n)
        k = m.kfrom(q=q)
        big = m.ellipk(k ** 2)
        # v0: sn(j v0 n K1, k1) = j/epsilon, that is sc(v0 n K1, k1') = 1/epsilon
        target = 1 / epsilon(ripple)
        u = m.findroot(lambda x: m.ellipfun("sc", x, m=1 - k1 ** 2) - target, m.asinh(target), tol=m.mpf(10) ** -50)
        v0 = u / (n * big1)
        poles, zeros = [], []
        for i in range(n):
            x = m.mpf(2 * i + 1) / n
            p = m.mpc(0, 1) * m.ellipfun("cd", m.mpc(x * big, -v0 * big), m=k ** 2)
            poles.append(p if p.real < 0 else -m.conj(p))
            if 2 * i + 1 != n:
                zeros.append(m.mpc(0, 1 / (k * m.ellipfun("cd", x * big, m=k ** 2))))
        dc = m.mpf(1) if n % 2 else m.mpf(10) ** (-m.mpf(ripple) / 20)
        return zeros, poles, dc
    coefficients = [m.factorial(2 * n - i) / (m.mpf(2) ** (n - i) * m.factorial(i) * m.factorial(n - i)) for i in range(n, -1, -1)]
    return [], m.polyroots(coefficients, maxsteps=500, extraprec=400), m.mpf(1)


def response(filter, s):
    zeros, poles, h = filter
    for z in zeros:
        h = h * (1 - s / z)
    for p in poles:
        h = h / (1 - s / p)
    return h


def crossing(filter, db, low, high):
    level = m.mpf(10) ** (-m.mpf(db) / 10)
    for _ in range(220):
        middle = (low + high) / 2
        if abs(response(filter, m.mpc(0, middle))) ** 2 > level:
            low = middle
        else:
            high = middle
    return (low + high) / 2


HALF = 10 * m.log10(2)


def half_power(case):
    """The prototype of a case, and the frequency of its half-power point."""
    family, kind, order, ripple, attenuation, edges = case
    n = order // 2 if kind.startswith("band") else order
    filter = prototype(family, n, ripple, attenuation)
    # the half-power point lies beyond the pass-band ripple and before the stop-band
    low = m.mpf(1) if family in ("elliptic", "chebyshev1") else m.mpf(0)
    high = m.mpf(1)
    while abs(response(filter, m.mpc(0, high))) ** 2 > m.mpf(1) / 2:
        high *= m.mpf("1.01") if family == "elliptic" else 2
    at = crossing(filter, HALF, low, high)
    return filter, at


def digital(case, f):
    family, kind, order, ripple, attenuation, edges = case
    filter, at = half_power(case)
    w = m.tan(m.pi * m.mpf(f))
    e = [m.tan(m.pi * m.mpf(x)) for x in edges]
    s = m.mpc(0, w)
    if kind == "lowpass":
        s = s / e[0]
    elif kind == "highpass":
        s = e[0] / s
    elif kind == "bandpass":
        s = (s * s + e[0] * e[1]) / (s * (e[1] - e[0]))
    else:
        s = (s * (e[1] - e[0])) / (s * s + e[0] * e[1])
    return response(filter, s * at)


CASES = []
for family in ["butterworth", "chebyshev1", "chebyshev2", "elliptic", "bessel"]:
    for kind, order, edges in [
        ("lowpass", 1, ["0.1"]), ("lowpass", 4, ["0.2"]), ("lowpass", 7, ["0.01"]), ("lowpass", 12, ["0.3"]),
        ("lowpass", 12, ["0.00005"]), ("highpass", 12, ["0.00005"]), ("lowpass", 12, ["0.4999"]),
        ("lowpass", 3, ["0.0001"]), ("lowpass", 5, ["0.4999"]), ("lowpass", 24, ["0.15"]),
        ("highpass", 2, ["0.05"]), ("highpass", 5, ["0.0001"]), ("highpass", 12, ["0.35"]), ("highpass", 24, ["0.25"]),
        ("bandpass", 6, ["0.2", "0.23"]), ("bandpass", 12, ["0.25", "0.31"]), ("bandpass", 10, ["0.02", "0.4"]),
        ("bandpass", 48, ["0.1", "0.2"]), ("bandpass", 4, ["0.1", "0.1005"]),
        ("bandstop", 6, ["0.2", "0.23"]), ("bandstop", 12, ["0.08", "0.3"]), ("bandstop", 48, ["0.1", "0.2"]),
    ]:
        CASES.append((family, kind, order, "0.5", "60", edges))


def digital_poles(case):
    """The poles of the digital filter: the prototype's, through the transformation and the bilinear mapping."""
    family, kind, order, ripple, attenuation, edges = case
    filter, at = half_power(case)
    # the nearest doubles to the edges are what the library is given
    e = [m.tan(m.pi * m.mpf(float(x))) for x in edges]
    poles = []
    for p in filter[1]:
        p = p / at
        if kind == "lowpass":
            s = [p * e[0]]
        elif kind == "highpass":
            s = [e[0] / p]
        else:
            middle, width = e[0] * e[1], e[1] - e[0]
            half = (p if kind == "bandpass" else 1 / p) * width / 2
            root = m.sqrt(half * half - middle)
            s = [half + root, half - root]
        poles += [(1 + x) / (1 - x) for x in s]
    return poles


with open("iir_poles.csv", "w") as out:
    print("family,kind,order,low,high,re,im,margin", file=out)
    for case in CASES:
        family, kind, order, ripple, attenuation, edges = case
        for p in digital_poles(case):
            if m.im(p) > -m.mpf(10) ** -40:
                high = edges[1] if len(edges) > 1 else ""
                text = ",".join(m.nstr(x, 25) for x in (m.re(p), m.im(p), 1 - abs(p)))
                print(f"{family},{kind},{order},{edges[0]},{high},{text}", file=out)

print("family,kind,order,ripple_db,attenuation_db,low,high,frequency,re,im")
for case in CASES:
    family, kind, order, ripple, attenuation, edges = case
    inner = [m.mpf(x) for x in edges]
    probes = [inner[0] * m.mpf("0.93"), inner[0] * m.mpf("1.001") if inner[0] < m.mpf("0.45") else inner[0], m.mpf("0.137"), m.mpf("0.471")]
    if len(inner) == 2:
        probes[1] = (inner[0] + inner[1]) / 2
    for f in probes:
        f = m.mpf(float(f))
        h = digital(case, f)
        high = edges[1] if len(edges) > 1 else ""
        print(f"{family},{kind},{order},{ripple},{attenuation},{edges[0]},{high},{float(f)!r},{m.nstr(h.real, 25)},{m.nstr(h.imag, 25)}")
