/** How values are kept while they are worked with. */
/** How a value is kept while it is worked with. Integers lie in the range of their type and wrap in it (choices.md). */
export type Whole = 'i8' | 'u8' | 'i16' | 'u16' | 'i32' | 'u32' | 'i64' | 'u64';
export type Machine =
  | 'bool'
  | Whole
  | 'f32'
  | 'f64'
  /** Durations: 64 bits of nanoseconds in meaning; a small board may keep them in coarser ticks. */
  | 'time'
  /** Address of what is too large for a value. */
  | 'pointer';
