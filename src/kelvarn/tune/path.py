"""What a drive does to the reading near a rest, as a linear system, sampled exactly.

Between samples the drive holds (zero-order hold; dead times need not be whole samples). A slow window takes the demand
only where it begins, and what changes with it is where its pulse ends: a push of that length at that instant.
Franklin, Powell and Workman, Digital Control of Dynamic Systems, 1998, section 4.3.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy

Complex = npt.NDArray[np.complex128]
Reals = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Path:
    """What one drive does to the reading: dx/dt = A x + B u, y = C x, where u comes so much later.

    Attributes:
        a, b, c: shapes (k, k), (k,), (k,).
        dead_time_s: of drive and probe together.
        pulse_share: of a slow window, share of it for which the drive is on at rest.
    """

    a: Reals
    b: Reals
    c: Reals
    dead_time_s: float
    pulse_share: float = 0.0

    def readings(self, omega: Reals, h: float, window_s: float) -> Complex:
        """The reading at each sample of a slow window, or of a sample where there is none (0), shape (m, count)."""
        if window_s:
            return self.in_windows(omega, window_s, max(round(window_s / h), 1))
        return self.at(omega, h)[:, None]

    def at(self, omega: Reals, h: float) -> Complex:
        """The reading for a demand of size 1 at angular frequencies in 1/s, sampled every h seconds, shape (m,)."""
        whole, part = divmod(self.dead_time_s + 1e-12 * h, h)
        through, held = _hold(self.a, self.b, h - part)
        _, before = _hold(self.a, self.b, part)
        early = through @ before  # of what was asked for one sample earlier still
        z = np.exp(1j * omega * h)
        inner = self._settled(z, h, held[None, :] + early[None, :] / z[:, None])
        found: Complex = (inner @ self.c) * z ** -int(whole)
        return found

    def in_windows(self, omega: Reals, window_s: float, count: int) -> Complex:
        """The reading at each of so many samples of a slow window that begins with a demand of size 1, (m, count)."""
        z = np.exp(1j * omega * window_s)
        push = np.broadcast_to(self.b * window_s, (z.size, self.b.size))
        inner = self._settled(z, window_s, push) * z[:, None]  # just after the pulse has ended
        late_s = self.pulse_share * window_s + self.dead_time_s
        found = np.empty((z.size, count), complex)
        for j in range(count):
            windows, since_s = divmod(j * window_s / count - late_s + 1e-9 * window_s, window_s)
            found[:, j] = (inner @ (self.c @ scipy.linalg.expm(self.a * since_s))) * z ** int(windows)
        return found

    def _settled(self, z: Complex, h: float, push: Reals | Complex) -> Complex:
        """The state before each push of a wave of them, one every h seconds, shape (m, k)."""
        apart = z[:, None, None] * np.eye(self.b.size) - scipy.linalg.expm(self.a * h)
        found: Complex = np.linalg.solve(apart, push.astype(complex)[..., None])[..., 0]
        return found


def _hold(a: Reals, b: Reals, span_s: float) -> tuple[Reals, Reals]:
    """e^(A·span), and the integral of it times B: what a held input brings in a span."""
    k = b.size
    block = np.zeros((k + 1, k + 1))
    block[:k, :k], block[:k, k] = a * span_s, b * span_s
    found = scipy.linalg.expm(block)
    return found[:k, :k], found[:k, k]
