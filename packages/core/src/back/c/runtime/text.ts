/** `ferrule_text.c`: values as characters and back, for a machine with an operating system or a large C library. */
export const FERRULE_TEXT_H = String.raw`/* Values as characters and back, as on the bench. */
#ifndef FERRULE_TEXT_H
#define FERRULE_TEXT_H
#include "ferrule.h"

/* The numbers of the types. */
enum kinds {
  KIND_BOOL, KIND_BYTE, KIND_WORD, KIND_DWORD, KIND_LWORD, KIND_SINT, KIND_INT, KIND_DINT, KIND_LINT,
  KIND_USINT, KIND_UINT, KIND_UDINT, KIND_ULINT, KIND_REAL, KIND_LREAL, KIND_TIME, KIND_LTIME,
  KIND_DATE, KIND_LDATE, KIND_TOD, KIND_LTOD, KIND_DT, KIND_LDT, KIND_CHAR, KIND_WCHAR,
  KIND_STRING, KIND_WSTRING, KIND_ARRAY, KIND_STRUCT, KIND_NONE
};
#define LONGEST_VALUE 80

/* All write into out, LONGEST_VALUE bytes, and end with 0. */
void format_real(char *out, double value, bool single); /* the shortest that reads back to the same */
void format_ms(char *out, int64_t ns);                  /* milliseconds with as many decimals as needed */
void format_date(char *out, int kind, int64_t ns);      /* ISO 8601 without zone */
/* Both give false for what is none. */
bool parse_duration(const char *text, int64_t *ns); /* 1h30m, 1.5s */
bool parse_date(const char *text, int kind, int64_t *ns);

#endif
`;

export const FERRULE_TEXT_C = String.raw`#include "ferrule_text.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>

#define DAY INT64_C(86400000000000)

/* d.ddde+xx with n digits behind the point, a half rounded away from zero. */
static void rounded(char *e, int n, double value) {
  char exact[200], digits[24];
  snprintf(exact, sizeof exact, "%.160e", value < 0 ? -value : value);
  int point = atoi(strchr(exact, 'e') + 1), at = n + 1;
  /* Digits are exact[0], then those behind the point from exact[2] on. */
  for (int i = 0; i <= n + 1; i++) digits[i] = exact[i ? i + 1 : 0];
  if (digits[at] >= '5') {
    while (at > 0 && digits[at - 1] == '9') digits[--at] = '0';
    if (at > 0) digits[at - 1]++;
    else {
      memmove(digits + 1, digits, (size_t)n);
      digits[0] = '1';
      point++;
    }
  }
  sprintf(e, "%s%c.%.*se%d", value < 0 ? "-" : "", digits[0], n, digits + 1, point);
}
void format_real(char *out, double value, bool single) {
  char e[40];
  if (value != value) { strcpy(out, "NaN"); return; }
  if (value - value != 0) { strcpy(out, value < 0 ? "-Infinity" : "Infinity"); return; }
  if (value == 0) { strcpy(out, signbit(value) ? "-0" : "0"); return; }
  for (int n = 0; n < 17; n++) {
    if (single) rounded(e, n, value);
    else snprintf(e, sizeof e, "%.*e", n, value);
    if (single ? strtof(e, NULL) == (float)value : strtod(e, NULL) == value) break;
  }
  /* d.ddde+xx to digits and where the point is. */
  char digits[24], *to = out;
  int n = 0, point = atoi(strchr(e, 'e') + 1) + 1;
  for (char *c = e; *c != 'e'; c++)
    if (isdigit((unsigned char)*c)) digits[n++] = *c;
  while (n > 1 && digits[n - 1] == '0') n--;
  if (e[0] == '-') *to++ = '-';
  if (point > 21 || point < -5) {
    *to++ = digits[0];
    if (n > 1) { *to++ = '.'; memcpy(to, digits + 1, (size_t)(n - 1)); to += n - 1; }
    sprintf(to, "e%c%d", point > 0 ? '+' : '-', point > 0 ? point - 1 : 1 - point);
    return;
  }
  if (point <= 0) { *to++ = '0'; *to++ = '.'; }
  for (int i = point; i < 0; i++) *to++ = '0';
  for (int i = 0; i < n || i < point; i++) {
    if (i == point && point > 0) *to++ = '.';
    *to++ = i < n ? digits[i] : '0';
  }
  *to = 0;
}

static void without_zeros(char *text) {
  size_t n = strlen(text);
  while (n && text[n - 1] == '0') text[--n] = 0;
  if (n && text[n - 1] == '.') text[n - 1] = 0;
}
void format_ms(char *out, int64_t ns) {
  uint64_t all = ns < 0 ? 0 - (uint64_t)ns : (uint64_t)ns;
  sprintf(out, "%s%llu.%06u", ns < 0 ? "-" : "", (unsigned long long)(all / 1000000), (unsigned)(all % 1000000));
  without_zeros(out);
}
void format_date(char *out, int kind, int64_t ns) {
  int64_t day = ns >= 0 ? ns / DAY : -((DAY - 1 - (ns + DAY)) / DAY + 1), rest = ns - day * DAY, c = civil(day);
  bool has_date = kind != KIND_TOD && kind != KIND_LTOD, has_time = kind != KIND_DATE && kind != KIND_LDATE;
  out[0] = 0;
  if (has_date) sprintf(out, "%04d-%02d-%02d", (int)(c / 10000), (int)(c / 100 % 100), (int)(c % 100));
  if (!has_time) return;
  int s = (int)(rest / 1000000000);
  sprintf(out + strlen(out), "%s%02d:%02d:%02d", has_date ? "T" : "", s / 3600, s / 60 % 60, s % 60);
  if (rest % 1000000000) {
    sprintf(out + strlen(out), ".%09u", (unsigned)(rest % 1000000000));
    without_zeros(out);
  }
}

static const struct { const char *name; int64_t ns; } UNITS[] = {
  {"d", DAY}, {"h", INT64_C(3600000000000)}, {"m", INT64_C(60000000000)}, {"s", 1000000000},
  {"ms", 1000000}, {"us", 1000}, {"ns", 1},
};
static void format_duration(char *out, int64_t ns) {
  uint64_t rest = ns < 0 ? 0 - (uint64_t)ns : (uint64_t)ns;
  char *to = out;
  if (ns < 0) *to++ = '-';
  if (!rest) strcpy(to, "0s");
  for (size_t i = 0; i < 7; i++) {
    uint64_t size = (uint64_t)UNITS[i].ns;
    if (rest >= size) to += sprintf(to, "%llu%s", (unsigned long long)(rest / size), UNITS[i].name);
    rest %= size;
  }
}
static bool starts(const char *text, const char *with) {
  for (; *with; text++, with++)
    if (tolower((unsigned char)*text) != *with) return false;
  return true;
}
bool parse_duration(const char *text, int64_t *ns) {
  bool minus = *text == '-', ended = false;
  int last = -1;
  uint64_t total = 0;
  if (*text == '-' || *text == '+') text++;
  if (!*text) { *ns = 0; return true; }
  while (*text) {
    uint64_t number = 0, fraction = 0, scale = 1;
    if (!isdigit((unsigned char)*text) || ended) return false;
    for (; isdigit((unsigned char)*text) || *text == '_'; text++)
      if (*text != '_') {
        if (number > UINT64_MAX / 20) return false;
        number = number * 10 + (uint64_t)(*text - '0');
      }
    if (*text == '.') {
      if (!isdigit((unsigned char)*++text)) return false;
      for (; isdigit((unsigned char)*text) || *text == '_'; text++)
        if (*text != '_' && scale < 1000000000000) { fraction = fraction * 10 + (uint64_t)(*text - '0'); scale *= 10; }
    }
    /* ms, us and ns before m and s. */
    int unit = starts(text, "ms") ? 4 : starts(text, "us") ? 5 : starts(text, "ns") ? 6 : -1;
    for (int i = 0; unit < 0 && i < 4; i++)
      if (starts(text, UNITS[i].name)) unit = i;
    if (unit < 0 || unit <= last) return false;
    last = unit;
    text += strlen(UNITS[unit].name);
    if (*text == '_') text++;
    if (scale > 1) ended = true;
    uint64_t size = (uint64_t)UNITS[unit].ns;
    if (number > (uint64_t)INT64_MAX / size) return false;
    total += number * size;
    /* Of a day down to a picosecond: in two steps, so that nothing overflows. */
    uint64_t part = 0;
    for (uint64_t s = scale, f = fraction, z = size; s > 1; ) {
      s /= 10;
      uint64_t digit = f / s;
      f %= s;
      part += digit * (z / 10);
      z /= 10;
    }
    total += part;
    if (total > (uint64_t)INT64_MAX) return false;
  }
  *ns = minus ? -(int64_t)total : (int64_t)total;
  return true;
}

static bool number(const char **at, int least, int most, int64_t *value) {
  int n = 0;
  for (*value = 0; n < most && isdigit((unsigned char)**at); n++) *value = *value * 10 + (*(*at)++ - '0');
  return n >= least;
}
bool parse_date(const char *text, int kind, int64_t *ns) {
  bool has_date = kind != KIND_TOD && kind != KIND_LTOD, has_time = kind != KIND_DATE && kind != KIND_LDATE;
  int64_t y = 1970, m = 1, d = 1, h = 0, min = 0, s = 0, fraction = 0;
  if (has_date) {
    if (!number(&text, 4, 4, &y) || *text++ != '-' || !number(&text, 1, 2, &m) || *text++ != '-' || !number(&text, 1, 2, &d))
      return false;
    if (m < 1 || m > 12 || d < 1 || civil(days(y, m, d)) != y * 10000 + m * 100 + d) return false;
    if (has_time && *text != '-' && *text != 'T') return false;
    if (has_time) text++;
  }
  if (has_time) {
    if (!number(&text, 1, 2, &h) || *text++ != ':' || !number(&text, 1, 2, &min)) return false;
    if (*text == ':') {
      text++;
      if (!number(&text, 1, 2, &s)) return false;
      if (*text == '.') {
        const char *from = ++text;
        if (!number(&text, 1, 9, &fraction)) return false;
        for (int64_t n = text - from; n < 9; n++) fraction *= 10;
      }
    }
    if (h > 23 || min > 59 || s > 59) return false;
  }
  if (*text) return false;
  int64_t day = has_date ? days(y, m, d) : 0, in_day = ((h * 60 + min) * 60 + s) * 1000000000 + fraction;
  if (day > 106751 || day < -106752) return false;
  if (day == 106751 && in_day > INT64_MAX - day * DAY) return false;
  *ns = add_i64(mul_i64(day, DAY), in_day);
  return day != -106752 || *ns < 0;
}

/* ---- Conversions in the logic -------------------------------------------------------------------------------------- */

static uint64_t cut(int kind, int64_t bits) {
  switch (kind) {
    case KIND_BYTE: case KIND_USINT: return (uint8_t)bits;
    case KIND_WORD: case KIND_UINT: return (uint16_t)bits;
    case KIND_DWORD: case KIND_UDINT: return (uint32_t)bits;
    case KIND_SINT: return (uint64_t)(int64_t)(int8_t)bits;
    case KIND_INT: return (uint64_t)(int64_t)(int16_t)bits;
    case KIND_DINT: return (uint64_t)(int64_t)(int32_t)bits;
    default: return (uint64_t)bits;
  }
}
void text_write(void *to, int32_t max, int width, int kind, int64_t bits) {
  static const char *const DATES[] = {"D", "LD", "TOD", "LTOD", "DT", "LDT"};
  char c[LONGEST_VALUE];
  if (kind == KIND_BOOL) strcpy(c, bits ? "TRUE" : "FALSE");
  else if (kind == KIND_REAL || kind == KIND_LREAL) format_real(c, bits_i64_f64(bits), kind == KIND_REAL);
  else if (kind == KIND_TIME || kind == KIND_LTIME) {
    strcpy(c, kind == KIND_TIME ? "T#" : "LT#");
    format_duration(c + strlen(c), bits);
  } else if (kind >= KIND_DATE && kind <= KIND_LDT) {
    sprintf(c, "%s#", DATES[kind - KIND_DATE]);
    size_t n = strlen(c);
    format_date(c + n, kind, bits);
    for (char *t = c + n; *t; t++)
      if (*t == 'T') *t = '-';
  } else if (kind >= KIND_BYTE && kind <= KIND_LWORD) sprintf(c, "16#%llX", (unsigned long long)cut(kind, bits));
  else if (kind >= KIND_USINT && kind <= KIND_ULINT) sprintf(c, "%llu", (unsigned long long)cut(kind, bits));
  else sprintf(c, "%lld", (long long)cut(kind, bits));
  struct { uint16_t length; uint16_t characters[LONGEST_VALUE]; } two = {0, {0}};
  for (; c[two.length]; two.length++) two.characters[two.length] = (unsigned char)c[two.length];
  text_width(to, max, width, 2, &two);
}

int64_t text_read(int kind, int width, const void *from) {
  char c[512];
  size_t n = 0;
  struct { uint16_t length; uint16_t characters[500]; } two;
  text_width(&two, 500, 2, width, from);
  for (int32_t i = 0; i < two.length; i++)
    if (n || !(two.characters[i] <= 0xff && isspace((int)two.characters[i])))
      c[n++] = (char)(two.characters[i] < 0x80 ? two.characters[i] : 0x7f);
  while (n && isspace((unsigned char)c[n - 1])) n--;
  c[n] = 0;
  char *hash = strchr(c, '#'), *behind = hash ? hash + 1 : c;
  size_t letters = 0;
  while (isalpha((unsigned char)c[letters])) letters++;
  bool prefix = letters && c[letters] == '#';
  int64_t ns;
  if (kind == KIND_BOOL) {
    for (char *t = c; *t; t++) *t = (char)toupper((unsigned char)*t);
    return !strcmp(c, "TRUE") || !strcmp(c, "1") || !strcmp(c, "BOOL#TRUE") || !strcmp(c, "BOOL#1");
  }
  if (kind == KIND_REAL || kind == KIND_LREAL) {
    char plain[512], *to = plain;
    for (char *t = c; (*to = (char)tolower((unsigned char)*t)); t++, to++) {}
    if (!strcmp(plain, "infinity")) return bits_f64_i64(INFINITY);
    if (!strcmp(plain, "-infinity")) return bits_f64_i64(-INFINITY);
    if (!strcmp(plain, "nan")) return bits_f64_i64(NAN);
    /* A number as far as it goes: digits, a point, an exponent; nothing else that the C library would read. */
    to = plain;
    const char *t = prefix ? behind : c;
    if (!strncmp(t, "Infinity", 8)) return bits_f64_i64(INFINITY);
    if (!strncmp(t, "-Infinity", 9)) return bits_f64_i64(-INFINITY);
    bool point = false, exponent = false;
    for (; *t; t++) {
      if (*t == '_') continue;
      if (isdigit((unsigned char)*t)) *to++ = *t;
      else if ((*t == '+' || *t == '-') && (to == plain || to[-1] == 'e')) *to++ = *t;
      else if (*t == '.' && !point && !exponent) { point = true; *to++ = '.'; }
      else if ((*t == 'e' || *t == 'E') && !exponent && to > plain) { exponent = true; *to++ = 'e'; }
      else break;
    }
    *to = 0;
    return bits_f64_i64(strtod(plain, NULL));
  }
  if (kind == KIND_TIME || kind == KIND_LTIME) return parse_duration(behind, &ns) ? ns : 0;
  if (kind >= KIND_DATE && kind <= KIND_LDT) return parse_date(behind, kind, &ns) ? ns : 0;
  const char *t = prefix ? c + letters + 1 : c;
  int radix = !strncmp(t, "2#", 2) ? 2 : !strncmp(t, "8#", 2) ? 8 : !strncmp(t, "10#", 3) ? 10 : !strncmp(t, "16#", 3) ? 16 : 0;
  uint64_t v = 0;
  bool minus = false;
  if (radix) t = strchr(t, '#') + 1;
  else if (*t == '-' || *t == '+') minus = *t++ == '-';
  for (; *t; t++) {
    if (radix && *t == '_') continue;
    int digit = isdigit((unsigned char)*t) ? *t - '0' : isalpha((unsigned char)*t) ? tolower((unsigned char)*t) - 'a' + 10 : 99;
    if (digit >= (radix ? radix : 10)) break;
    v = v * (uint64_t)(radix ? radix : 10) + (uint64_t)digit;
  }
  return (int64_t)cut(kind, (int64_t)(minus ? 0 - v : v));
}
`;
