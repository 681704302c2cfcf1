/** Names of tags, blocks and variables as names of C: kept as they are wherever C allows it. */
const RESERVED = new Set(
  `auto break case char const continue default do double else enum extern float for goto if inline int long register
   restrict return short signed sizeof static struct switch typedef union unsigned void volatile while
   bool true false main logic machine ferrule fault asm near far interrupt errno stdin stdout stderr NULL EOF INFINITY NAN
   unix linux self days civil base setjmp longjmp errno FILE DIR F_CPU LOGIC_STEP_NS
   math_errhandling HUGE_VAL HUGE_VALF HUGE_VALL MATH_ERRNO MATH_ERREXCEPT fmaxf floorf ldexpf powf sinhf fminf squaref
   tanhf log10f lroundf signbitf atan2f cosf copysignf frexpf sinf ceilf logf expf acosf hypotf tanf asinf truncf fmodf
   lrintf roundf coshf atanf fmaf cbrtf fdimf fabsf`.split(/\s+/),
);
/** Registers of 8-bit boards and their bits, without digits: `avr/io.h` gives PB0, SP and ADC a meaning. */
const REGISTERS = new Set(
  `ACBG ACD ACI ACIC ACIE ACIS ACME ACO ACSR ADATE ADC ADCD ADCH ADCL ADCSRA ADCSRB ADCW ADEN ADIE ADIF ADLAR ADMUX
    ADPS ADSC ADTS AIND AS ASSR BLBSET BODS BODSE BORF CAL CLKPCE CLKPR CLKPS COMA COMB CPHA CPOL CS DIDR DOR DORD
    EEAR EEARH EEARL EECR EEDR EEMEM EEMPE EEND EEPE EEPM EERE EERIE EICRA EIFR EIMSK EPAGESIZE EXCLK EXTRF FE
    FLASHEND FOCA FOCB FUSEMEM FUSES GPIOR GTCCR ICES ICF ICIE ICNC ICR ICRH ICRL ISC IVCE IVSEL LOCKBITS LOCKMEM
    MCUCR MCUSR MPCM MSTR MUX OCFA OCFB OCIEA OCIEB OCRA OCRAH OCRAL OCRAUB OCRB OCRBH OCRBL OCRBUB OSCCAL PB PC PCICR
    PCIE PCIF PCIFR PCINT PCMSK PD PGERS PGWRT PORF PRADC PRR PRSPI PRTIM PRTWI PRUSART PSRASY PSRSYNC PUD RAMEND
    RAMSTART REFS RWWSB RWWSRE RXB RXC RXCIE RXEN SE SELFPRGEN SIGRD SM SMCR SP SPCR SPDR SPE SPH SPIE SPIF SPIX SPL
    SPMCSR SPMEN SPMIE SPR SPSR SREG TCCRA TCCRB TCCRC TCNT TCNTH TCNTL TCNUB TCRAUB TCRBUB TIFR TIMSK TOIE TOV TSM
    TWA TWAM TWAMR TWAR TWBR TWCR TWD TWDR TWEA TWEN TWGCE TWIE TWINT TWPS TWS TWSR TWSTA TWSTO TWWC TXB TXC TXCIE
    TXEN UBRR UBRRH UBRRL UCPHA UCPOL UCSRA UCSRB UCSRC UCSZ UDORD UDR UDRE UDRIE UMSEL UPE UPM USBS UX WCOL WDCE WDE
    WDIE WDIF WDP WDRF WDTCSR WGM XH XL XRAMEND XRAMSIZE YH YL ZH ZL`.split(/\s+/),
);
/** Names that headers of boards and of the C library give a meaning of their own. */
const TAKEN =
  /^(PORT|DDR|PIN|DD)[A-L]?\d?$|^(SREG|OCR\d[AB]?|TCNT\d|UBRR\d|UDR\d)_\w+$|^(AVR|[LHE]?FUSES?|SIGNATURE|LB_MODE|BLB\d_MODE|BOOT_LOCK|LOCKBITS|SPM|BOD|FERRULE)_|_vect(_num)?$|^SLEEP_MODE_|^FP_(NAN|NORMAL|SUBNORMAL|ZERO|INFINITE|ILOGB\w+|FAST_\w+)$|^(PRI|SCN)[dioxuX](FAST|LEAST|MAX|PTR)?\d*$|^M_([12]_PI|2_SQRTPI|E|LN10|LN2|LOG10E|LOG2E|PI(_[24])?|SQRT1_2|SQRT2)$|^(u?int(_least|_fast)?\d+_t|[A-Z0-9_]+_(MAX|MIN)|INT\d*|INTF\d|SIG[A-Z]+|E[A-Z]{3,}|is[a-z]+|to[a-z]+|str[a-z]+|mem[a-z]+)$/;
/** Functions of the runtime: `add_i16`, `text_append`, `get_u8`. */
const OURS =
  /^(text|get|put|bits|nearest|cut|class|ferrule|add|sub|mul|not|div|mod|neg|abs|sqrt|shl|shr|rol|ror|min|max|swap|eq|ne|lt|le|gt|ge|time|ns|is_bcd|from_bcd|to_bcd)(_|$)/;

/** Whether C, its library or a board gives a name a meaning, or the runtime does. */
const isTaken = (name: string): boolean =>
  RESERVED.has(name) || TAKEN.test(name) || OURS.test(name) || REGISTERS.has(name.replace(/\d+/g, ''));

/**
 * A name of C that stands for a name of ours; one that is no name there, or has a meaning, gets a `_` or loses what is
 * no letter. `isOutside`: of a function or a structure, which the linker and every header see: the libraries there
 * (`round`, `index`, `timespec`) are in small letters, so one of ours in small letters gets a `_` too.
 */
export function cName(name: string, isOutside = false): string {
  const plain = name
    .replace(/[^A-Za-z0-9_]+/g, '_')
    .replace(/_+$/, '')
    .replace(/^_+/, '');
  const begun = /^\d/.test(plain) || plain === '' ? `n${plain}` : plain;
  return isTaken(begun) || (isOutside && !/[A-Z]/.test(begun)) ? `${begun}_` : begun;
}

/**
 * Gives each thing a name that nothing else in the same space has; case alone makes no difference, as in our language.
 */
export class Names {
  private readonly taken = new Set<string>();
  private readonly given = new Map<unknown, string>();

  constructor(private readonly around?: Names) {}

  /** A name that is written as it is, and given to nothing else. */
  reserve(name: string): void {
    this.taken.add(name.toLowerCase());
  }
  of(thing: unknown, name: string, isOutside = false): string {
    const known = this.given.get(thing);
    if (known) return known;
    const base = cName(name, isOutside);
    let unique = base;
    for (let n = 2; this.isTaken(unique); n++) unique = `${base}_${n}`;
    this.taken.add(unique.toLowerCase());
    this.given.set(thing, unique);
    return unique;
  }
  private isTaken(name: string): boolean {
    return this.taken.has(name.toLowerCase()) || (this.around?.isTaken(name) ?? false);
  }
}
