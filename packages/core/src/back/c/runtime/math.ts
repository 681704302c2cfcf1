/** `ferrule_math.c`: functions of reals, step by step as in `types/math.ts`, so that both give the same bits. */
export const FERRULE_MATH_C = String.raw`#include "ferrule.h"

/*
 * The functions of table 28 from additions, multiplications and divisions alone: the same bits on every machine.
 * Methods and coefficients are those of the freely distributable math library of Sun Microsystems (1993).
 */
static uint64_t bits_of(double x) { return (uint64_t)bits_f64_i64(x); }
static int32_t high(double x) { return (int32_t)(uint32_t)(bits_of(x) >> 32); }
static double with_high(double x, int32_t h) {
  return bits_i64_f64((int64_t)((bits_of(x) & 0xffffffffu) | (uint64_t)(uint32_t)h << 32));
}
static double truncated(double x) { return bits_i64_f64((int64_t)(bits_of(x) & UINT64_C(0xffffffff00000000))); }
static double magnitude(double x) { return bits_i64_f64((int64_t)(bits_of(x) & INT64_MAX)); }
static bool finite(double x) { return x - x == 0; }
/* x times 2^k, with at most one rounding. */
static double scale(double x, int32_t k) {
  for (; k > 1023; k -= 1023) x *= 8.98846567431158e307;
  /* Down by 969 at most, so that what is lost at the end is lost once. */
  for (; k < -1022; k += 969) x *= 2.004168360008973e-292;
  return x * with_high(0, (k + 1023) << 20);
}

#define PIO2_1 1.57079632673412561417
#define PIO2_1T 6.07710050650619224932e-11
#define PIO2_2 6.0771005063039659766e-11
#define PIO2_2T 2.02226624879595063154e-21
#define PIO2_3 2.0222662487111664558e-21
#define PIO2_3T 8.47842766036889956997e-32
#define INV_PIO2 6.36619772367581382433e-1
#define PIO2_HI 1.570796326794896558
#define PIO2_LO 6.12323399573676603587e-17
#define PI_HI 3.141592653589793116
#define PI_LO 1.2246467991473531772e-16

/* ---- Large arguments, in whole numbers: exact, and slow, as nobody needs it often ----------------------------------- */

/* Half of pi times 2^1200, lowest word first. */
#define HALF_WORDS 38
static const uint32_t HALF_PI[HALF_WORDS] = {
  0xe6ac410a, 0x5b2c38c5, 0xba47b947, 0x9ebf06ca, 0x7f51fa49, 0xa734d22c, 0x906c38ab, 0x7e0b31b4, 
  0xf97142c7, 0xb67b8400, 0xcca3d9c8, 0x3fcc9250, 0x4822f896, 0x3f4b5d3e, 0xd7f6b513, 0x6fdbdc70, 
  0xb96de80d, 0xdad617fe, 0x85d34c6f, 0xfd8de898, 0x6aecc4bc, 0x848bc90b, 0x6adadaa3, 0x286e9fc2, 
  0x14dbe4be, 0x86366056, 0x33679a74, 0x09bbdf2a, 0x10f31c68, 0x3644a294, 0x7d4c7627, 0x98e80417, 
  0x9c1114cf, 0x39a25204, 0xc51701b8, 0x8469898c, 0xb54442d1, 0x0001921f
};
#define WORDS 74
static void shift_in(uint32_t *a, uint32_t bit) {
  for (int i = 0; i < WORDS; i++) {
    uint32_t top = a[i] >> 31;
    a[i] = a[i] << 1 | bit;
    bit = top;
  }
}
static int compare(const uint32_t *a, const uint32_t *b) {
  for (int i = WORDS - 1; i >= 0; i--)
    if (a[i] != b[i]) return a[i] < b[i] ? -1 : 1;
  return 0;
}
static void subtract(uint32_t *a, const uint32_t *b) {
  uint32_t borrow = 0;
  for (int i = 0; i < WORDS; i++) {
    uint64_t d = (uint64_t)a[i] - b[i] - borrow;
    a[i] = (uint32_t)d;
    borrow = (uint32_t)(d >> 63);
  }
}
static void add_at(uint32_t *a, uint64_t value, uint32_t bit) {
  uint32_t word = bit / 32, by = bit % 32;
  uint64_t low = value << by, over = by ? value >> (64 - by) : 0, carry = 0;
  uint32_t parts[3] = {(uint32_t)low, (uint32_t)(low >> 32), (uint32_t)over};
  for (uint32_t i = 0; word + i < WORDS && (i < 3 || carry); i++) {
    carry += (uint64_t)a[word + i] + (i < 3 ? parts[i] : 0);
    a[word + i] = (uint32_t)carry;
    carry >>= 32;
  }
}
/* The number over 2^1040, rounded down, as the nearest double over 2^160. */
static double to_double(const uint32_t *a, bool minus) {
  uint32_t v[WORDS] = {0};
  bool below = (a[32] & 0xffff) != 0;
  for (int i = 0; i < 32; i++) below = below || a[i];
  for (int i = 0; i + 32 < WORDS; i++)
    v[i] = a[i + 32] >> 16 | (i + 33 < WORDS ? a[i + 33] << 16 : 0);
  if (minus && below) add_at(v, 1, 0);
  int top = WORDS * 32 - 1;
  while (top >= 0 && !(v[top / 32] >> (top % 32) & 1)) top--;
  if (top < 0) return 0;
  uint64_t mantissa = 0;
  bool half = false, rest = false;
  for (int i = top; i >= 0; i--) {
    uint32_t bit = v[i / 32] >> (i % 32) & 1;
    if (i > top - 53) mantissa = mantissa << 1 | bit;
    else if (i == top - 53) half = bit;
    else rest = rest || bit;
  }
  int exponent = top > 52 ? top - 52 : 0;
  if (half && (rest || (mantissa & 1))) mantissa++;
  double d = scale((double)mantissa, exponent - 160);
  return minus ? -d : d;
}
static int reduce_large(double x, double *y, double *rest) {
  uint32_t value[WORDS] = {0}, left[WORDS] = {0}, half[WORDS] = {0}, twice[WORDS];
  uint64_t bits = bits_of(magnitude(x)), mantissa = (bits & UINT64_C(0xfffffffffffff)) | UINT64_C(0x10000000000000);
  int32_t n = 0, shift = (int32_t)(bits >> 52) - 1075 + 1200;
  bool minus = false;
  memcpy(half, HALF_PI, sizeof HALF_PI);
  if (shift >= 0) add_at(value, mantissa, (uint32_t)shift);
  else add_at(value, mantissa >> -shift, 0);
  for (int i = WORDS * 32 - 1; i >= 0; i--) {
    shift_in(left, value[i / 32] >> (i % 32) & 1);
    n = (n << 1) & 3;
    if (compare(left, half) >= 0) {
      subtract(left, half);
      n |= 1;
    }
  }
  memcpy(twice, left, sizeof twice);
  shift_in(twice, 0);
  if (compare(twice, half) > 0) {
    n = (n + 1) & 3;
    memcpy(twice, half, sizeof twice);
    subtract(twice, left);
    memcpy(left, twice, sizeof left);
    minus = true;
  }
  double first = to_double(left, minus);
  /* What is left when the first 100 bits behind the point are taken off. */
  double scaled = magnitude(scale(first, 100));
  uint64_t b = bits_of(scaled);
  int32_t e = (int32_t)(b >> 52) - 1075;
  uint64_t m = (b & UINT64_C(0xfffffffffffff)) | UINT64_C(0x10000000000000);
  uint32_t off[WORDS] = {0};
  if (e >= 0) add_at(off, m, 1100 + (uint32_t)e);
  else if (e > -53) add_at(off, m >> -e, 1100);
  bool opposite = compare(left, off) < 0;
  if (opposite) {
    subtract(off, left);
    memcpy(left, off, sizeof left);
  } else subtract(left, off);
  double second = to_double(left, minus != opposite);
  *y = x < 0 ? -first : first;
  *rest = x < 0 ? -second : second;
  return x < 0 ? (4 - n) & 3 : n;
}

/* x less a multiple of half of pi: the multiple (modulo 4), and what is left in two parts. */
static int reduce(double x, double *y, double *rest) {
  double t = magnitude(x);
  if (t <= 0.7853981633974483) {
    *y = x;
    *rest = 0;
    return 0;
  }
  if (t >= 1647099.3) return reduce_large(x, y, rest);
  int32_t n = (int32_t)(t * INV_PIO2 + 0.5), j = (high(t) >> 20) & 0x7ff;
  double r = t - n * PIO2_1, w = n * PIO2_1T, v = r - w;
  if (j - ((high(v) >> 20) & 0x7ff) > 16) {
    double before = r;
    w = n * PIO2_2;
    r = before - w;
    w = n * PIO2_2T - (before - r - w);
    v = r - w;
    if (j - ((high(v) >> 20) & 0x7ff) > 49) {
      before = r;
      w = n * PIO2_3;
      r = before - w;
      w = n * PIO2_3T - (before - r - w);
      v = r - w;
    }
  }
  double left = r - v - w;
  *y = x < 0 ? -v : v;
  *rest = x < 0 ? -left : left;
  return x < 0 ? (4 - (n & 3)) & 3 : n & 3;
}

static double sine(double x, double y) {
  double z = x * x, v = z * x;
  double r =
    8.33333333332248946124e-3 +
    z * (-1.98412698298579493134e-4 +
      z * (2.75573137070700676789e-6 + z * (-2.50507602534068634195e-8 + z * 1.58969099521155010221e-10)));
  return x - (z * (0.5 * y - v * r) - y - v * -1.66666666666666324348e-1);
}
static double cosine(double x, double y) {
  double z = x * x, w = z * z;
  double r =
    z * (4.16666666666666019037e-2 + z * (-1.38888888888741095749e-3 + z * 2.48015872894767294178e-5)) +
    w * w * (-2.75573143513906633035e-7 + z * (2.0875723212981748279e-9 + z * -1.13596475577881948265e-11));
  double hz = 0.5 * z, one = 1 - hz;
  return one + (1 - one - hz + (z * r - x * y));
}
double ferrule_sin(double x) {
  double y, rest;
  if (!finite(x)) return NAN;
  if (magnitude(x) < 1e-8) return x;
  int n = reduce(x, &y, &rest);
  return n == 0 ? sine(y, rest) : n == 1 ? cosine(y, rest) : n == 2 ? -sine(y, rest) : -cosine(y, rest);
}
double ferrule_cos(double x) {
  double y, rest;
  if (!finite(x)) return NAN;
  int n = reduce(x, &y, &rest);
  return n == 0 ? cosine(y, rest) : n == 1 ? -sine(y, rest) : n == 2 ? -cosine(y, rest) : sine(y, rest);
}
double ferrule_tan(double x) {
  double y, rest;
  if (!finite(x)) return NAN;
  if (magnitude(x) < 1e-8) return x;
  int n = reduce(x, &y, &rest);
  double s = sine(y, rest), c = cosine(y, rest);
  return n & 1 ? -c / s : s / c;
}

static const double ATAN_HI[] = {
  4.63647609000806093515e-1, 7.85398163397448278999e-1, 9.82793723247329054082e-1, 1.570796326794896558,
};
static const double ATAN_LO[] = {
  2.26987774529616870924e-17, 3.06161699786838301793e-17, 1.39033110312309984516e-17, 6.12323399573676603587e-17,
};
double ferrule_atan(double x) {
  if (x != x) return NAN;
  double a = magnitude(x), t = x;
  int id = -1;
  if (a >= 7.378697629483821e19) return x > 0 ? PIO2_HI : -PIO2_HI;
  if (a < 1e-8) return x;
  if (a >= 0.4375) {
    if (a < 0.6875) {
      id = 0;
      t = (2 * a - 1) / (2 + a);
    } else if (a < 1.1875) {
      id = 1;
      t = (a - 1) / (a + 1);
    } else if (a < 2.4375) {
      id = 2;
      t = (a - 1.5) / (1 + 1.5 * a);
    } else {
      id = 3;
      t = -1 / a;
    }
  }
  double z = t * t, w = z * z;
  double s1 =
    z * (3.33333333333329318027e-1 +
      w * (1.42857142725034663711e-1 +
        w * (9.09088713343650656196e-2 +
          w * (6.66107313738753120669e-2 + w * (4.97687799461593236017e-2 + w * 1.62858201153657823623e-2)))));
  double s2 =
    w * (-1.99999999998764832476e-1 +
      w * (-1.1111110405462355788e-1 +
        w * (-7.69187620504482999495e-2 + w * (-5.83357013379057348645e-2 + w * -3.6531572744216915527e-2))));
  if (id < 0) return t - t * (s1 + s2);
  double r = ATAN_HI[id] - (t * (s1 + s2) - ATAN_LO[id] - t);
  return x < 0 ? -r : r;
}
double ferrule_atan2(double y, double x) {
  if (x != x || y != y) return NAN;
  bool negative_x = signbit(x), negative_y = signbit(y);
  double v;
  if (y == 0) v = negative_x ? PI_HI : 0;
  else if (x == 0) v = PIO2_HI;
  else if (!finite(x))
    v = !finite(y) ? (negative_x ? 3 * 0.785398163397448279 : 0.785398163397448279) : negative_x ? PI_HI : 0;
  else if (!finite(y)) v = PIO2_HI;
  else {
    v = ferrule_atan(magnitude(y / x));
    if (negative_x) v = PI_HI - (v - PI_LO);
  }
  return negative_y ? -v : v;
}

/* (asin(x) - x) / x^3 as a quotient of polynomials of z = x^2. */
static double arc(double z) {
  double p =
    z * (1.66666666666666657415e-1 +
      z * (-3.25565818622400915405e-1 +
        z * (2.01212532134862925881e-1 +
          z * (-4.00555345006794114027e-2 + z * (7.91534994289814532176e-4 + z * 3.4793310759602116757e-5)))));
  return p /
    (1 + z * (-2.40339491173441421878 +
      z * (2.02094576023350569471 + z * (-6.8828397160545329303e-1 + z * 7.70381505559019352791e-2))));
}
double ferrule_asin(double x) {
  double a = magnitude(x), v;
  if (!(a <= 1)) return NAN;
  if (a == 1) return x * PIO2_HI;
  if (a < 0.5) return a < 1e-8 ? x : x + x * arc(x * x);
  double z = (1 - a) * 0.5, s = sqrt(z), r = arc(z);
  if (a >= 0.975) v = PIO2_HI - (2 * (s + s * r) - PIO2_LO);
  else {
    double f = truncated(s), c = (z - f * f) / (s + f);
    v = 0.5 * PIO2_HI - (2 * s * r - (PIO2_LO - 2 * c) - (0.5 * PIO2_HI - 2 * f));
  }
  return x < 0 ? -v : v;
}
double ferrule_acos(double x) {
  double a = magnitude(x);
  if (!(a <= 1)) return NAN;
  if (a == 1) return x > 0 ? 0 : PI_HI;
  if (a < 0.5) return PIO2_HI - (x - (PIO2_LO - x * arc(x * x)));
  double z = (1 - a) * 0.5, s = sqrt(z);
  if (x < 0) return 2 * (PIO2_HI - (s + (arc(z) * s - PIO2_LO)));
  double f = truncated(s), c = (z - f * f) / (s + f);
  return 2 * (f + (arc(z) * s + c));
}

#define LN2_HI 6.9314718036912381649e-1
#define LN2_LO 1.90821492927058770002e-10
#define INV_LN2 1.442695040888963387
static double exp_polynomial(double t) {
  return t * (1.66666666666666019037e-1 +
    t * (-2.77777777770155933842e-3 +
      t * (6.61375632143793436117e-5 + t * (-1.6533902205465251539e-6 + t * 4.13813679705723846039e-8))));
}
double ferrule_exp(double x) {
  if (x != x) return NAN;
  if (x > 709.782712893384) return INFINITY;
  if (x < -745.1332191019411) return 0;
  if (magnitude(x) < 3.7e-9) return 1 + x;
  int32_t k = magnitude(x) > 0.34657359 ? (int32_t)(INV_LN2 * x + (x < 0 ? -0.5 : 0.5)) : 0;
  double hi = x - k * LN2_HI, lo = k * LN2_LO, r = hi - lo, c = r - exp_polynomial(r * r);
  return scale(1 + ((r * c) / (2 - c) - lo + hi), k);
}

/* log of x as f with x = 2^k * (1 + f), and the polynomial that both logarithms share. */
struct log_parts { int32_t k; double f, s, half, r; };
static struct log_parts log_parts(double x) {
  struct log_parts p = {0, 0, 0, 0, 0};
  if (x < 2.2250738585072014e-308) {
    x *= 18014398509481984.0;
    p.k = -54;
  }
  int32_t h = high(x) + (0x3ff00000 - 0x3fe6a09e);
  p.k += (h >> 20) - 0x3ff;
  p.f = with_high(x, (h & 0xfffff) + 0x3fe6a09e) - 1;
  p.s = p.f / (2 + p.f);
  double z = p.s * p.s, w = z * z;
  p.r =
    z * (6.66666666666673513e-1 +
      w * (2.857142874366239149e-1 + w * (1.818357216161805012e-1 + w * 1.479819860511658591e-1))) +
    w * (3.999999999940941908e-1 + w * (2.222219843214978396e-1 + w * 1.531383769920937332e-1));
  p.half = 0.5 * p.f * p.f;
  return p;
}
double ferrule_log(double x) {
  if (x != x || x < 0) return NAN;
  if (x == 0) return -INFINITY;
  if (!finite(x)) return x;
  struct log_parts p = log_parts(x);
  return p.s * (p.half + p.r) + p.k * LN2_LO - p.half + p.f + p.k * LN2_HI;
}
double ferrule_log10(double x) {
  if (x != x || x < 0) return NAN;
  if (x == 0) return -INFINITY;
  if (!finite(x)) return x;
  struct log_parts p = log_parts(x);
  double hi = truncated(p.f - p.half), lo = p.f - hi - p.half + p.s * (p.half + p.r);
  double value = hi * 4.34294481878168880939e-1, y = p.k * 3.01029995663611771306e-1;
  double rest =
    p.k * 3.69423907715893078616e-13 + (lo + hi) * 2.50829467116452752298e-11 + lo * 4.34294481878168880939e-1;
  double w = y + value;
  return rest + (y - w + value) + w;
}

/* Whether a number is whole: 0 no, 1 odd, 2 even. */
static int parity(double y) {
  double a = magnitude(y);
  if (a >= 9007199254740992.0) return 2;
  int64_t n = (int64_t)a;
  return (double)n != a ? 0 : n % 2 ? 1 : 2;
}
/* log2(a) in two parts, the first with a lower half of zeros. */
static double log2_parts(double a, double *second) {
  double x = a;
  int32_t n = 0, k = 0;
  if (x < 2.2250738585072014e-308) {
    x *= 9007199254740992.0;
    n -= 53;
  }
  int32_t h = high(x);
  n += (h >> 20) - 0x3ff;
  int32_t j = h & 0xfffff;
  h = j | 0x3ff00000;
  if (j > 0x3988e) {
    if (j < 0xbb67a) k = 1;
    else {
      n += 1;
      h -= 0x00100000;
    }
  }
  x = with_high(x, h);
  double bp = k ? 1.5 : 1, u = x - bp, v = 1 / (x + bp), ss = u * v, sh = truncated(ss);
  double th = with_high(0, ((h >> 1) | 0x20000000) + 0x00080000 + (k << 18)), tl = x - (th - bp);
  double sl = v * (u - sh * th - sh * tl), s2 = ss * ss;
  double r =
    s2 * s2 *
    (5.99999999999994648725e-1 +
      s2 * (4.28571428578550184252e-1 +
        s2 * (3.33333329818377432918e-1 +
          s2 * (2.72728123808534006489e-1 + s2 * (2.30660745775561754067e-1 + s2 * 2.06975017800338417784e-1)))));
  r += sl * (sh + ss);
  s2 = sh * sh;
  th = truncated(3 + s2 + r);
  tl = r - (th - 3 - s2);
  u = sh * th;
  v = sl * th + tl * ss;
  double ph = truncated(u + v), pl = v - (ph - u);
  double zh = 9.61796700954437255859e-1 * ph;
  double zl = -7.02846165095275826516e-9 * ph + pl * 9.61796693925975554329e-1 + (k ? 1.35003920212974897128e-8 : 0);
  double dp = k ? 5.84962487220764160156e-1 : 0, t1 = truncated(zh + zl + dp + n);
  *second = zl - (t1 - n - dp - zh);
  return t1;
}
/* 2^(hi + lo), z being their sum. */
static double exp2_parts(double hi, double lo, double z) {
  int32_t n = 0;
  if (magnitude(z) > 0.5) {
    n = (int32_t)(z + 0.5);
    if (n > z + 0.5) n--;
  }
  double h = hi - n, t = truncated(lo + h);
  double u = t * 6.93147182464599609375e-1;
  double v = (lo - (t - h)) * 6.93147180559945286227e-1 + t * -1.90465429995776804525e-9;
  double w = u + v, rest = v - (w - u), c = w - exp_polynomial(w * w);
  return scale(1 - ((w * c) / (c - 2) - (rest + w * rest) - w), n);
}
double ferrule_pow(double x, double y) {
  if (y == 0) return 1;
  if (x != x || y != y) return NAN;
  double a = magnitude(x);
  if (!finite(y)) return a == 1 ? NAN : (a > 1) == (y > 0) ? INFINITY : 0;
  if (y == 1) return x;
  if (y == -1) return 1 / x;
  if (y == 2) return x * x;
  if (y == 0.5 && x >= 0 && finite(x)) return sqrt(x);
  int whole = parity(y);
  bool negative = signbit(x);
  if (a == 0 || a == 1 || !finite(a)) {
    double z = y < 0 ? 1 / a : a;
    if (!negative) return z;
    return a == 1 && whole == 0 ? NAN : whole == 1 ? -z : z;
  }
  if (negative && whole == 0) return NAN;
  double sign = negative && whole == 1 ? -1 : 1;
  /* Beyond this the result is out of all bounds whatever x is. */
  if (magnitude(y) > 18446744073709551616.0) return (a < 1) == (y < 0) ? sign * INFINITY : sign * 0;
  double t2, t1 = log2_parts(a, &t2), y1 = truncated(y);
  double lo = (y - y1) * t1 + y * t2, hi = y1 * t1, z = lo + hi;
  if (z >= 1024) {
    if (z > 1024 || lo + 8.0085662595372944372e-17 > z - hi) return sign * INFINITY;
  } else if (z <= -1075 && (z < -1075 || lo <= z - hi)) return sign * 0;
  return sign * exp2_parts(hi, lo, z);
}
`;
