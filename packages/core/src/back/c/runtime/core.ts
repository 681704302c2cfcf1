/** `ferrule.c`: the scan, faults, tasks, calendar and text. */
export const FERRULE_C = String.raw`#include "ferrule.h"

struct ferrule ferrule;

/* ---- The scan --------------------------------------------------------------------------------------------------- */

void ferrule_start(ferrule_time step) {
  uint32_t watchdog = ferrule.watchdog;
  memset(&ferrule, 0, sizeof ferrule);
  ferrule.step = step;
  ferrule.watchdog = watchdog ? watchdog : 10000000;
  logic_start();
}

bool ferrule_guard(void (*run)(void)) {
  if (ferrule.stopped) return false;
  ferrule.nested = 0;
  if (setjmp(ferrule.stop) != 0) return false;
  run();
  return true;
}

bool ferrule_scan(void) {
  ferrule.budget = ferrule.watchdog;
  if (!ferrule_guard(logic_scan)) return false;
  ferrule.now = (ferrule_time)((uint64_t)ferrule.now + (uint64_t)ferrule.step);
  return true;
}

void ferrule_fault(uint8_t fault, uint16_t place, int64_t value) {
  ferrule.fault = fault;
  ferrule.place = place;
  ferrule.value = value;
  ferrule.stopped = true;
  longjmp(ferrule.stop, 1);
}

void ferrule_enter(uint16_t place) {
  if (ferrule.nested >= 64) ferrule_fault(FAULT_DEPTH, place, 0);
  ferrule.nested++;
}
void ferrule_leave(void) { ferrule.nested--; }

bool ferrule_due(struct ferrule_task *task) {
  if (task->interval == 0) return true;
  /* Counted as a distance, so that the clock may wrap. */
  if ((ferrule_time)((uint64_t)ferrule.now - (uint64_t)task->next) < 0) return false;
  do task->next = (ferrule_time)((uint64_t)task->next + (uint64_t)task->interval);
  while ((ferrule_time)((uint64_t)ferrule.now - (uint64_t)task->next) >= 0);
  return true;
}

bool ferrule_rises(struct ferrule_task *task, bool condition) {
  bool elapsed = ferrule_due(task), rises = condition && !task->was;
  task->was = condition;
  return task->interval == 0 || condition ? rises : elapsed;
}

/* ---- Reals to whole numbers ---------------------------------------------------------------------------------------- */

static FERRULE_DOUBLE nearest(FERRULE_DOUBLE a) {
  /* Past this every number is whole; below, adding and taking it off again rounds, half to even. */
  const FERRULE_DOUBLE whole = sizeof a == 4 ? (FERRULE_DOUBLE)8388608.0 : (FERRULE_DOUBLE)4503599627370496.0;
  volatile FERRULE_DOUBLE sum;
  if (!(a > -whole && a < whole)) return a;
  if (a < 0) {
    sum = a - whole;
    return sum + whole;
  }
  sum = a + whole;
  return sum - whole;
}
int64_t cut_i64(FERRULE_DOUBLE a) {
  if (a != a) return 0;
  if (a >= (FERRULE_DOUBLE)9223372036854775808.0) return INT64_MAX;
  return a < (FERRULE_DOUBLE)-9223372036854775808.0 ? INT64_MIN : (int64_t)a;
}
uint64_t cut_u64(FERRULE_DOUBLE a) {
  if (!(a > 0)) return 0;
  return a >= (FERRULE_DOUBLE)18446744073709551616.0 ? UINT64_MAX : (uint64_t)a;
}
int64_t nearest_i64(FERRULE_DOUBLE a) { return cut_i64(nearest(a)); }
uint64_t nearest_u64(FERRULE_DOUBLE a) { return cut_u64(nearest(a)); }

/* ---- Packed decimals and the calendar ------------------------------------------------------------------------------ */

bool is_bcd(uint64_t a) {
  for (; a; a >>= 4)
    if ((a & 15) > 9) return false;
  return true;
}
static uint64_t digits(uint64_t a, uint64_t from, uint64_t to) {
  uint64_t result = 0, weight = 1;
  for (; a; a /= from, weight *= to) result += a % from * weight;
  return result;
}
uint64_t from_bcd(uint64_t a) { return digits(a, 16, 10); }
uint64_t to_bcd(uint64_t a) { return digits(a, 10, 16); }

static int64_t floor_div(int64_t a, int64_t by) { return div_i64(sub_i64(a, a < 0 ? by - 1 : 0), by); }

/* Years are counted from March, so that the leap day is the last one; 400 years have 146,097 days. */
int64_t days(int64_t year, int64_t month, int64_t day) {
  int64_t y = sub_i64(year, month <= 2 ? 1 : 0), era = floor_div(y, 400), of_era = sub_i64(y, mul_i64(era, 400));
  int64_t of_year = sub_i64(add_i64(div_i64(add_i64(mul_i64(mod_i64(add_i64(month, 9), 12), 153), 2), 5), day), 1);
  int64_t of_eras = add_i64(sub_i64(add_i64(mul_i64(of_era, 365), div_i64(of_era, 4)), div_i64(of_era, 100)), of_year);
  return sub_i64(add_i64(mul_i64(era, 146097), of_eras), 719468);
}
int64_t civil(int64_t days_since_1970) {
  int64_t d = add_i64(days_since_1970, 719468), era = floor_div(d, 146097), of_era = sub_i64(d, mul_i64(era, 146097));
  int64_t year = (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
  int64_t of_year = of_era - (year * 365 + year / 4 - year / 100), m = (of_year * 5 + 2) / 153;
  int64_t day = of_year - (m * 153 + 2) / 5 + 1, month = m < 10 ? m + 3 : m - 9;
  int64_t whole = add_i64(add_i64(year, mul_i64(era, 400)), month <= 2 ? 1 : 0);
  return add_i64(mul_i64(whole, 10000), month * 100 + day);
}

/* ---- Text -------------------------------------------------------------------------------------------------------- */

static uint8_t *characters(void *text, int width, int32_t at) { return (uint8_t *)text + 2 + width * at; }
static uint32_t character(const void *text, int width, int32_t at) {
  const uint8_t *c = (const uint8_t *)text + 2 + width * at;
  uint16_t two;
  if (width == 1) return *c;
  memcpy(&two, c, 2);
  return two;
}
static void put_character(void *text, int width, int32_t at, uint32_t c) {
  uint16_t two = (uint16_t)c;
  if (width == 1) *characters(text, 1, at) = (uint8_t)c;
  else memcpy(characters(text, 2, at), &two, 2);
}

void text_assign(void *to, int32_t max, int width, const void *from) {
  int32_t n = text_length(from) < max ? text_length(from) : max;
  memmove(characters(to, width, 0), (const uint8_t *)from + 2, (size_t)(n * width));
  ((struct text *)to)->length = (uint16_t)n;
}
void text_append(void *to, int32_t max, int width, const void *from, int32_t at, int32_t count) {
  int32_t used = text_length(to);
  if (at < 0) {
    /* In front of the beginning there is nothing. */
    count = add_i32(count, at);
    at = 0;
  }
  if (count > sub_i32(text_length(from), at)) count = sub_i32(text_length(from), at);
  if (count > max - used) count = max - used;
  if (count <= 0) return;
  memmove(characters(to, width, used), (const uint8_t *)from + 2 + width * at, (size_t)(count * width));
  ((struct text *)to)->length = (uint16_t)(used + count);
}
int32_t text_compare(int width, const void *a, const void *b) {
  int32_t n = text_length(a) < text_length(b) ? text_length(a) : text_length(b);
  for (int32_t i = 0; i < n; i++) {
    int32_t d = (int32_t)character(a, width, i) - (int32_t)character(b, width, i);
    if (d) return d;
  }
  return text_length(a) - text_length(b);
}
int32_t text_find(int width, const void *in, const void *what) {
  int32_t n = text_length(what);
  if (n == 0) return 0;
  for (int32_t i = 0; i + n <= text_length(in); i++) {
    int32_t j = 0;
    while (j < n && character(in, width, i + j) == character(what, width, j)) j++;
    if (j == n) return i + 1;
  }
  return 0;
}
void text_from_int(void *to, int32_t max, int width, int64_t value, bool is_unsigned) {
  bool minus = !is_unsigned && value < 0;
  uint64_t rest = minus ? 0 - (uint64_t)value : (uint64_t)value;
  int32_t n = minus ? 1 : 0;
  for (uint64_t r = rest; n == (minus ? 1 : 0) || r; r /= 10) n++;
  if (n > max) n = max;
  ((struct text *)to)->length = (uint16_t)n;
  for (int32_t i = n - 1; i >= (minus ? 1 : 0); i--, rest /= 10) put_character(to, width, i, (uint32_t)('0' + rest % 10));
  if (minus) put_character(to, width, 0, '-');
}
int64_t text_to_int(int width, const void *from) {
  int32_t i = 0, n = text_length(from);
  bool minus = n > 0 && character(from, width, 0) == '-';
  int64_t v = 0;
  if (minus || (n > 0 && character(from, width, 0) == '+')) i = 1;
  for (; i < n && character(from, width, i) - '0' < 10u; i++)
    v = add_i64(mul_i64(v, 10), (int64_t)(character(from, width, i) - '0'));
  return minus ? neg_i64(v) : v;
}
void text_from_char(void *to, int32_t max, int width, int32_t c) {
  ((struct text *)to)->length = max > 0 ? 1 : 0;
  if (max > 0) put_character(to, width, 0, (uint32_t)c);
}
int32_t text_first(int width, const void *from) { return text_length(from) ? (int32_t)character(from, width, 0) : 0; }
void text_width(void *to, int32_t max, int width, int from_width, const void *from) {
  int32_t n = text_length(from) < max ? text_length(from) : max;
  ((struct text *)to)->length = (uint16_t)n;
  for (int32_t i = 0; i < n; i++) put_character(to, width, i, character(from, from_width, i));
}
`;
