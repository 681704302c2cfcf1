/** Programs that are made at random, twenty of them in one text; the seed of a batch is its number. */
import { PRELUDE, generateProgram, seeded } from './generate.js';

const PROGRAMS = 20;
export function batchText(seed: number): string {
  const random = seeded(seed);
  return PRELUDE + Array.from({ length: PROGRAMS }, (_, i) => generateProgram(`P${i}`, random)).join('');
}
