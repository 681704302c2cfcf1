/**
 * The functions of table 28 that WebAssembly has no instruction for, from additions, multiplications and divisions
 * alone. The host's own differ in the last bit from one version of a browser to the next; these give the same bits
 * everywhere, which replay, compare and proof rest on. Methods and coefficients are those of the freely distributable
 * math library of Sun Microsystems (1993), within two units in the last place.
 */
const f64 = new Float64Array(1);
const words = new Int32Array(f64.buffer);
// The place of the upper half depends on the byte order of the machine.
f64[0] = 1;
const HI = words[1] === 0x3ff00000 ? 1 : 0,
  LO = 1 - HI;

function high(x: number): number {
  f64[0] = x;
  return words[HI]!;
}
function low(x: number): number {
  f64[0] = x;
  return words[LO]!;
}
function withHigh(x: number, h: number): number {
  f64[0] = x;
  words[HI] = h;
  return f64[0];
}
function truncated(x: number): number {
  f64[0] = x;
  words[LO] = 0;
  return f64[0];
}
/** x · 2^k, with at most one rounding. */
function scale(x: number, k: number): number {
  let y = x,
    n = k;
  while (n > 1023) {
    y *= 8.98846567431158e307;
    n -= 1023;
  }
  while (n < -1022) {
    // Down by 969 at most, so that what is lost at the end is lost once.
    y *= 2.004168360008973e-292;
    n += 969;
  }
  words[HI] = (n + 1023) << 20;
  words[LO] = 0;
  return y * f64[0]!;
}

const PIO2_1 = 1.57079632673412561417,
  PIO2_1T = 6.07710050650619224932e-11,
  PIO2_2 = 6.0771005063039659766e-11,
  PIO2_2T = 2.02226624879595063154e-21,
  PIO2_3 = 2.0222662487111664558e-21,
  PIO2_3T = 8.47842766036889956997e-32;
const INV_PIO2 = 6.36619772367581382433e-1;
const PIO2_HI = 1.570796326794896558,
  PIO2_LO = 6.12323399573676603587e-17,
  PI = 3.141592653589793116,
  PI_LO = 1.2246467991473531772e-16;

/** x less a multiple of π/2: the multiple (modulo 4), and what is left in two parts. */
function reduce(x: number): readonly [number, number, number] {
  const t = Math.abs(x);
  if (t <= 0.7853981633974483) return [0, x, 0];
  if (t >= 1647099.3) return reduceLarge(x);
  const n = Math.floor(t * INV_PIO2 + 0.5);
  let r = t - n * PIO2_1,
    w = n * PIO2_1T,
    y = r - w;
  const j = (high(t) >> 20) & 0x7ff;
  if (j - ((high(y) >> 20) & 0x7ff) > 16) {
    let before = r;
    w = n * PIO2_2;
    r = before - w;
    w = n * PIO2_2T - (before - r - w);
    y = r - w;
    if (j - ((high(y) >> 20) & 0x7ff) > 49) {
      before = r;
      w = n * PIO2_3;
      r = before - w;
      w = n * PIO2_3T - (before - r - w);
      y = r - w;
    }
  }
  const rest = r - y - w;
  return x < 0 ? [(4 - (n & 3)) & 3, -y, -rest] : [n & 3, y, rest];
}

const PI_BITS = 1200n;
let piBig: bigint | undefined;
/** π · 2^1200, by Machin's formula. */
function piOf(): bigint {
  const one = 1n << (PI_BITS + 32n);
  const arctan = (n: bigint): bigint => {
    let sum = 0n,
      term = one / n;
    for (let k = 1n, sign = 1n; term !== 0n; k += 2n, sign = -sign, term /= n * n) sum += (sign * term) / k;
    return sum;
  };
  return (16n * arctan(5n) - 4n * arctan(239n)) >> 32n;
}

/** The same for arguments of any size, in whole numbers: exact, and slow, as nobody needs it often. */
function reduceLarge(x: number): readonly [number, number, number] {
  const pi = (piBig ??= piOf());
  const h = high(Math.abs(x)),
    l = low(x) >>> 0;
  const mantissa = (BigInt((h & 0xfffff) | 0x100000) << 32n) | BigInt(l);
  const shift = BigInt(((h >> 20) & 0x7ff) - 1075) + PI_BITS;
  const value = shift >= 0n ? mantissa << shift : mantissa >> -shift;
  const half = pi >> 1n;
  let n = value / half,
    rest = value - n * half;
  if (rest * 2n > half) {
    n += 1n;
    rest -= half;
  }
  const toNumber = (v: bigint) => scale(Number(v >> (PI_BITS - 160n)), -160);
  const y = toNumber(rest);
  const left = toNumber(rest - BigInt(Math.trunc(scale(y, 100))) * (1n << (PI_BITS - 100n)));
  const k = Number(n & 3n);
  return x < 0 ? [(4 - k) & 3, -y, -left] : [k, y, left];
}

function sine(x: number, y: number): number {
  const z = x * x,
    v = z * x;
  const r =
    8.33333333332248946124e-3 +
    z *
      (-1.98412698298579493134e-4 +
        z * (2.75573137070700676789e-6 + z * (-2.50507602534068634195e-8 + z * 1.58969099521155010221e-10)));
  return x - (z * (0.5 * y - v * r) - y - v * -1.66666666666666324348e-1);
}
function cosine(x: number, y: number): number {
  const z = x * x,
    w = z * z;
  const r =
    z * (4.16666666666666019037e-2 + z * (-1.38888888888741095749e-3 + z * 2.48015872894767294178e-5)) +
    w * w * (-2.75573143513906633035e-7 + z * (2.0875723212981748279e-9 + z * -1.13596475577881948265e-11));
  const hz = 0.5 * z,
    one = 1 - hz;
  return one + (1 - one - hz + (z * r - x * y));
}

export function sin(x: number): number {
  if (!Number.isFinite(x)) return NaN;
  if (Math.abs(x) < 1e-8) return x;
  const [n, y, rest] = reduce(x);
  return n === 0 ? sine(y, rest) : n === 1 ? cosine(y, rest) : n === 2 ? -sine(y, rest) : -cosine(y, rest);
}
export function cos(x: number): number {
  if (!Number.isFinite(x)) return NaN;
  const [n, y, rest] = reduce(x);
  return n === 0 ? cosine(y, rest) : n === 1 ? -sine(y, rest) : n === 2 ? -cosine(y, rest) : sine(y, rest);
}
export function tan(x: number): number {
  if (!Number.isFinite(x)) return NaN;
  if (Math.abs(x) < 1e-8) return x;
  const [n, y, rest] = reduce(x);
  const s = sine(y, rest),
    c = cosine(y, rest);
  return n & 1 ? -c / s : s / c;
}

const ATAN_HI = [
  4.63647609000806093515e-1, 7.85398163397448278999e-1, 9.82793723247329054082e-1, 1.570796326794896558,
] as const;
const ATAN_LO = [
  2.26987774529616870924e-17, 3.06161699786838301793e-17, 1.39033110312309984516e-17, 6.12323399573676603587e-17,
] as const;

export function atan(x: number): number {
  if (Number.isNaN(x)) return NaN;
  const a = Math.abs(x);
  if (a >= 7.378697629483821e19) return x > 0 ? PIO2_HI : -PIO2_HI;
  if (a < 1e-8) return x;
  let id = -1,
    t = x;
  if (a >= 0.4375) {
    if (a < 1.1875) {
      if (a < 0.6875) {
        id = 0;
        t = (2 * a - 1) / (2 + a);
      } else {
        id = 1;
        t = (a - 1) / (a + 1);
      }
    } else if (a < 2.4375) {
      id = 2;
      t = (a - 1.5) / (1 + 1.5 * a);
    } else {
      id = 3;
      t = -1 / a;
    }
  }
  const z = t * t,
    w = z * z;
  const s1 =
    z *
    (3.33333333333329318027e-1 +
      w *
        (1.42857142725034663711e-1 +
          w *
            (9.09088713343650656196e-2 +
              w * (6.66107313738753120669e-2 + w * (4.97687799461593236017e-2 + w * 1.62858201153657823623e-2)))));
  const s2 =
    w *
    (-1.99999999998764832476e-1 +
      w *
        (-1.1111110405462355788e-1 +
          w * (-7.69187620504482999495e-2 + w * (-5.83357013379057348645e-2 + w * -3.6531572744216915527e-2))));
  if (id < 0) return t - t * (s1 + s2);
  const r = ATAN_HI[id as 0] - (t * (s1 + s2) - ATAN_LO[id as 0] - t);
  return x < 0 ? -r : r;
}

export function atan2(y: number, x: number): number {
  if (Number.isNaN(x) || Number.isNaN(y)) return NaN;
  const negativeX = x < 0 || Object.is(x, -0),
    negativeY = y < 0 || Object.is(y, -0);
  const signed = (v: number) => (negativeY ? -v : v);
  if (y === 0) return signed(negativeX ? PI : 0);
  if (x === 0) return signed(PIO2_HI);
  if (!Number.isFinite(x))
    return signed(
      !Number.isFinite(y) ? (negativeX ? 3 * 0.785398163397448279 : 0.785398163397448279) : negativeX ? PI : 0,
    );
  if (!Number.isFinite(y)) return signed(PIO2_HI);
  const z = atan(Math.abs(y / x));
  return signed(negativeX ? PI - (z - PI_LO) : z);
}

/** (asin(x) - x) / x³ as a quotient of polynomials of z = x². */
function arc(z: number): number {
  const p =
    z *
    (1.66666666666666657415e-1 +
      z *
        (-3.25565818622400915405e-1 +
          z *
            (2.01212532134862925881e-1 +
              z * (-4.00555345006794114027e-2 + z * (7.91534994289814532176e-4 + z * 3.4793310759602116757e-5)))));
  return (
    p /
    (1 +
      z *
        (-2.40339491173441421878 +
          z * (2.02094576023350569471 + z * (-6.8828397160545329303e-1 + z * 7.70381505559019352791e-2))))
  );
}

export function asin(x: number): number {
  const a = Math.abs(x);
  if (!(a <= 1)) return NaN;
  if (a === 1) return x * PIO2_HI;
  if (a < 0.5) return a < 1e-8 ? x : x + x * arc(x * x);
  const z = (1 - a) * 0.5,
    s = Math.sqrt(z),
    r = arc(z);
  let v: number;
  if (a >= 0.975) v = PIO2_HI - (2 * (s + s * r) - PIO2_LO);
  else {
    const f = truncated(s),
      c = (z - f * f) / (s + f);
    v = 0.5 * PIO2_HI - (2 * s * r - (PIO2_LO - 2 * c) - (0.5 * PIO2_HI - 2 * f));
  }
  return x < 0 ? -v : v;
}

export function acos(x: number): number {
  const a = Math.abs(x);
  if (!(a <= 1)) return NaN;
  if (a === 1) return x > 0 ? 0 : PI;
  if (a < 0.5) return PIO2_HI - (x - (PIO2_LO - x * arc(x * x)));
  const z = (1 - a) * 0.5,
    s = Math.sqrt(z);
  if (x < 0) return 2 * (PIO2_HI - (s + (arc(z) * s - PIO2_LO)));
  const f = truncated(s),
    c = (z - f * f) / (s + f);
  return 2 * (f + (arc(z) * s + c));
}

const LN2_HI = 6.9314718036912381649e-1,
  LN2_LO = 1.90821492927058770002e-10,
  INV_LN2 = 1.442695040888963387;
const EXP = [
  1.66666666666666019037e-1, -2.77777777770155933842e-3, 6.61375632143793436117e-5, -1.6533902205465251539e-6,
  4.13813679705723846039e-8,
] as const;
const expPolynomial = (t: number): number => t * (EXP[0] + t * (EXP[1] + t * (EXP[2] + t * (EXP[3] + t * EXP[4]))));

export function exp(x: number): number {
  if (Number.isNaN(x)) return NaN;
  if (x > 709.782712893384) return Infinity;
  if (x < -745.1332191019411) return 0;
  if (Math.abs(x) < 3.7e-9) return 1 + x;
  const k = Math.abs(x) > 0.34657359 ? Math.trunc(INV_LN2 * x + (x < 0 ? -0.5 : 0.5)) : 0;
  const hi = x - k * LN2_HI,
    lo = k * LN2_LO,
    r = hi - lo;
  const c = r - expPolynomial(r * r);
  return scale(1 + ((r * c) / (2 - c) - lo + hi), k);
}

/** log of x as f with x = 2^k · (1 + f), and the polynomial both logarithms share. */
function logParts(x: number): {
  readonly k: number;
  readonly f: number;
  readonly s: number;
  readonly half: number;
  readonly r: number;
} {
  let k = 0,
    v = x;
  if (v < 2.2250738585072014e-308) {
    v *= 18014398509481984;
    k = -54;
  }
  const h = high(v) + (0x3ff00000 - 0x3fe6a09e);
  k += (h >> 20) - 0x3ff;
  const f = withHigh(v, (h & 0xfffff) + 0x3fe6a09e) - 1;
  const s = f / (2 + f),
    z = s * s,
    w = z * z;
  const r =
    z *
      (6.66666666666673513e-1 +
        w * (2.857142874366239149e-1 + w * (1.818357216161805012e-1 + w * 1.479819860511658591e-1))) +
    w * (3.999999999940941908e-1 + w * (2.222219843214978396e-1 + w * 1.531383769920937332e-1));
  return { k, f, s, half: 0.5 * f * f, r };
}

export function log(x: number): number {
  if (Number.isNaN(x) || x < 0) return NaN;
  if (x === 0) return -Infinity;
  if (x === Infinity) return x;
  const { k, f, s, half, r } = logParts(x);
  return s * (half + r) + k * LN2_LO - half + f + k * LN2_HI;
}

export function log10(x: number): number {
  if (Number.isNaN(x) || x < 0) return NaN;
  if (x === 0) return -Infinity;
  if (x === Infinity) return x;
  const { k, f, s, half, r } = logParts(x);
  const hi = truncated(f - half),
    lo = f - hi - half + s * (half + r);
  const value = hi * 4.34294481878168880939e-1,
    y = k * 3.01029995663611771306e-1;
  const rest = k * 3.69423907715893078616e-13 + (lo + hi) * 2.50829467116452752298e-11 + lo * 4.34294481878168880939e-1;
  const w = y + value;
  return rest + (y - w + value) + w;
}

/** Whether a number is whole: 0 no, 1 odd, 2 even. */
const parity = (y: number): 0 | 1 | 2 =>
  Math.abs(y) >= 9007199254740992 ? 2 : Number.isInteger(y) ? (y % 2 === 0 ? 2 : 1) : 0;

export function pow(x: number, y: number): number {
  if (y === 0) return 1;
  if (Number.isNaN(x) || Number.isNaN(y)) return NaN;
  const a = Math.abs(x);
  if (!Number.isFinite(y)) return a === 1 ? NaN : a > 1 === y > 0 ? Infinity : 0;
  if (y === 1) return x;
  if (y === -1) return 1 / x;
  if (y === 2) return x * x;
  if (y === 0.5 && x >= 0 && x !== Infinity) return Math.sqrt(x);
  const whole = parity(y);
  const negative = x < 0 || Object.is(x, -0);
  if (a === 0 || a === 1 || a === Infinity) {
    const z = y < 0 ? 1 / a : a;
    if (!negative) return z;
    return a === 1 && whole === 0 ? NaN : whole === 1 ? -z : z;
  }
  if (negative && whole === 0) return NaN;
  const sign = negative && whole === 1 ? -1 : 1;
  // Beyond this the result is out of all bounds whatever x is.
  if (Math.abs(y) > 2 ** 64) return a < 1 ? (y < 0 ? sign * Infinity : sign * 0) : y > 0 ? sign * Infinity : sign * 0;
  const [t1, t2] = log2Parts(a);
  const y1 = truncated(y);
  const lo = (y - y1) * t1 + y * t2,
    hi = y1 * t1,
    z = lo + hi;
  if (z >= 1024) {
    if (z > 1024 || lo + 8.0085662595372944372e-17 > z - hi) return sign * Infinity;
  } else if (z <= -1075 && (z < -1075 || lo <= z - hi)) return sign * 0;
  return sign * exp2Parts(hi, lo, z);
}

/** log2(a) in two parts, the first with a lower half of zeros. */
function log2Parts(a: number): readonly [number, number] {
  let x = a,
    n = 0;
  if (x < 2.2250738585072014e-308) {
    x *= 9007199254740992;
    n -= 53;
  }
  let h = high(x);
  n += (h >> 20) - 0x3ff;
  const j = h & 0xfffff;
  h = j | 0x3ff00000;
  let k = 0;
  if (j > 0x3988e) {
    if (j < 0xbb67a) k = 1;
    else {
      n += 1;
      h -= 0x00100000;
    }
  }
  x = withHigh(x, h);
  const bp = k ? 1.5 : 1;
  let u = x - bp,
    v = 1 / (x + bp);
  const ss = u * v,
    sh = truncated(ss);
  let th = withHigh(0, ((h >> 1) | 0x20000000) + 0x00080000 + (k << 18));
  let tl = x - (th - bp);
  const sl = v * (u - sh * th - sh * tl);
  let s2 = ss * ss;
  let r =
    s2 *
    s2 *
    (5.99999999999994648725e-1 +
      s2 *
        (4.28571428578550184252e-1 +
          s2 *
            (3.33333329818377432918e-1 +
              s2 * (2.72728123808534006489e-1 + s2 * (2.30660745775561754067e-1 + s2 * 2.06975017800338417784e-1)))));
  r += sl * (sh + ss);
  s2 = sh * sh;
  th = truncated(3 + s2 + r);
  tl = r - (th - 3 - s2);
  u = sh * th;
  v = sl * th + tl * ss;
  const ph = truncated(u + v),
    pl = v - (ph - u);
  const zh = 9.61796700954437255859e-1 * ph,
    zl = -7.02846165095275826516e-9 * ph + pl * 9.61796693925975554329e-1 + (k ? 1.35003920212974897128e-8 : 0);
  const dp = k ? 5.84962487220764160156e-1 : 0;
  const t1 = truncated(zh + zl + dp + n);
  return [t1, zl - (t1 - n - dp - zh)];
}

/** 2^(hi + lo), z being their sum. */
function exp2Parts(hi: number, lo: number, z: number): number {
  const n = Math.abs(z) > 0.5 ? Math.floor(z + 0.5) : 0;
  const h = hi - n;
  const t = truncated(lo + h);
  const u = t * 6.93147182464599609375e-1,
    v = (lo - (t - h)) * 6.93147180559945286227e-1 + t * -1.90465429995776804525e-9;
  const w = u + v,
    rest = v - (w - u);
  const c = w - expPolynomial(w * w);
  return scale(1 - ((w * c) / (c - 2) - (rest + w * rest) - w), n);
}
