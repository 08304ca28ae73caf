"""Windows, closed-form taps and least-squares taps in 60 digits, for tests/fir.rs.

Independent of the library: windows from their definitions (the Chebyshev window from its sum over Chebyshev polynomials in
long arithmetic), pulses from their textbook fractions with limits where these are 0/0, least squares by forming and solving
the normal equations in long arithmetic with integrals from mpmath's own quadrature where the library uses closed forms.

    python3 fir.py > fir.csv
"""

from mpmath import mp, mpf, pi, sin, cos, exp, sqrt, besseli, acosh, cosh, quad, matrix, lu_solve, chebyt, nstr

mp.dps = 60


def line(case, k, value):
    print(f"{case},{k},{nstr(value, 25)}")


def cosine_sum(terms, x):
    return sum((-1) ** i * mpf(a) * cos(2 * pi * i * x) for i, a in enumerate(terms))


def window(name, parameter, n):
    out = []
    for k in range(n):
        x = mpf(k) / (n - 1)
        u = 2 * x - 1
        if name == "hann":
            v = (1 - cos(2 * pi * x)) / 2
        elif name == "hamming":
            v = cosine_sum(["0.54", "0.46"], x)
        elif name == "blackman":
            v = cosine_sum(["0.42", "0.5", "0.08"], x)
        elif name == "blackman-harris":
            v = cosine_sum(["0.35875", "0.48829", "0.14128", "0.01168"], x)
        elif name == "nuttall":
            v = cosine_sum(["0.3635819", "0.4891775", "0.1365995", "0.0106411"], x)
        elif name == "flat-top":
            v = cosine_sum(["0.21557895", "0.41663158", "0.277263158", "0.083578947", "0.006947368"], x)
        elif name == "bartlett":
            v = 1 - abs(u)
        elif name == "gaussian":
            v = exp(-(u / mpf(parameter)) ** 2 / 2)
        elif name == "tukey":
            a = mpf(parameter)
            edge = min(x, 1 - x)
            v = mpf(1) if edge >= a / 2 else (1 - cos(2 * pi * edge / a)) / 2
        elif name == "kaiser":
            b = mpf(parameter)
            v = besseli(0, b * sqrt(1 - u * u)) / besseli(0, b)
        elif name == "chebyshev":
            v = None
        else:
            raise ValueError(name)
        out.append(v)
    if name == "chebyshev":
        ratio = mpf(10) ** (mpf(parameter) / 20)
        x0 = cosh(acosh(ratio) / (n - 1))
        spectrum = [chebyt(n - 1, x0 * cos(pi * m / n)) for m in range(n)]
        for k in range(n):
            t = mpf(k) - mpf(n - 1) / 2
            # A real, even sum over the circle; for even n the sign of the polynomial goes with the half step.
            out[k] = sum(s * cos(2 * pi * m * t / n) for m, s in enumerate(spectrum))
        top = max(out)
        out = [v / top for v in out]
    return out


WINDOWS = [
    ("bartlett", "0", 9), ("hann", "0", 12), ("hamming", "0", 13), ("blackman", "0", 16),
    ("blackman-harris", "0", 17), ("nuttall", "0", 20), ("flat-top", "0", 21), ("gaussian", "0.4", 15),
    ("tukey", "0.5", 22), ("kaiser", "0.5", 11), ("kaiser", "8.6", 32), ("kaiser", "25", 33),
    ("chebyshev", "50", 24), ("chebyshev", "100", 33), ("chebyshev", "140", 101),
]

for name, parameter, n in WINDOWS:
    for k, v in enumerate(window(name, parameter, n)):
        line(f"window {name} {parameter} {n}", k, v)


def places(n):
    return [mpf(k) - mpf(n - 1) / 2 for k in range(n)]


def lowpass(f, m):
    return 2 * f if m == 0 else sin(2 * pi * f * m) / (pi * m)


F = lambda text: mpf(float(text))  # the double that the library is given

for k, m in enumerate(places(64)):
    line("lowpass hamming 64", k, lowpass(F("0.11"), m) * window("hamming", "0", 64)[k])
for k, m in enumerate(places(65)):
    stop = (1 if m == 0 else 0) - lowpass(F("0.3"), m) + lowpass(F("0.12"), m)
    line("bandstop kaiser 65", k, stop * window("kaiser", "5", 65)[k])
for k, m in enumerate(places(24)):
    wc = 2 * pi * F("0.4")
    line("differentiator hann 24", k, (wc * m * cos(wc * m) - sin(wc * m)) / (pi * m * m) * window("hann", "0", 24)[k])


def raised(t, b):
    if abs(abs(2 * b * t) - 1) < mpf(10) ** -40:
        return pi / 4 * sin(pi / (2 * b)) / (pi / (2 * b))
    s = 1 if t == 0 else sin(pi * t) / (pi * t)
    return s * cos(pi * b * t) / (1 - (2 * b * t) ** 2)


def root(t, b):
    if t == 0:
        return 1 - b + 4 * b / pi
    if abs(abs(4 * b * t) - 1) < mpf(10) ** -40:
        return b / sqrt(mpf(2)) * ((1 + 2 / pi) * sin(pi / (4 * b)) + (1 - 2 / pi) * cos(pi / (4 * b)))
    return (sin(pi * t * (1 - b)) + 4 * b * t * cos(pi * t * (1 + b))) / (pi * t * (1 - (4 * b * t) ** 2))


for k, m in enumerate(places(65)):
    line("raised-cosine 65", k, raised(m / 8, F("0.25")) / 8)
    line("root-raised-cosine 65", k, root(m / 8, F("0.25")) / 8)


def least_squares(n, antisymmetric, bands):
    """Taps of least square error by the normal equations, integrals by quadrature."""
    half = [m for m in places(n) if m > 0 or (m == 0 and not antisymmetric)]
    phi = (lambda m, f: sin(2 * pi * m * f)) if antisymmetric else (lambda m, f: cos(2 * pi * m * f))
    size = len(half)
    a, b = matrix(size, size), matrix(size, 1)

    def integral(low, high, g):
        # Pieces of at most one period of the fastest term.
        pieces = 4 + int(n * float(high - low))
        return quad(g, [low + (high - low) * i / pieces for i in range(pieces + 1)])

    for low, high, at_low, at_high, weight in bands:
        low, high = F(low), F(high)
        for i in range(size):
            for j in range(i, size):
                # A product of two is half a sum and a difference: one quadrature each, in closed steps of the table.
                v = weight ** 2 * integral(low, high, lambda f: phi(half[i], f) * phi(half[j], f))
                a[i, j] += v
                if j != i:
                    a[j, i] += v
            d = lambda f: at_low + (at_high - at_low) * (f - low) / (high - low)
            b[i] += weight ** 2 * integral(low, high, lambda f: d(f) * phi(half[i], f))
    amplitude = lu_solve(a, b)
    taps = {}
    for m, c in zip(half, amplitude):
        if m == 0:
            taps[m] = c
        else:
            taps[m] = -c / 2 if antisymmetric else c / 2
            taps[-m] = c / 2
    return [taps.get(m, mpf(0)) for m in places(n)]


mp.dps = 40
LEAST = [
    ("I", 15, False, [("0", "0.1", 1, 1, 1), ("0.16", "0.5", 0, 0, 5)]),
    ("II", 16, False, [("0.05", "0.2", mpf(1) / 2, 1, 1), ("0.27", "0.45", 0, 0, 3)]),
    ("III", 15, True, [("0.02", "0.3", 1, mpf(1) / 4, 1)]),
    ("IV", 14, True, [("0", "0.1", 0, 1, 2), ("0.2", "0.5", 1, 1, 1)]),
    ("I wide", 41, False, [("0", "0.1", 1, 1, 1), ("0.3", "0.5", 0, 0, 1)]),
]
for name, n, antisymmetric, bands in LEAST:
    mp.dps = 60 if n > 20 else 40
    for k, v in enumerate(least_squares(n, antisymmetric, bands)):
        line(f"least squares {name} {n}", k, v)
