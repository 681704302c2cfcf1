// Every test run plays the same random cases; `FERRULE_SEED=N` plays others, `FERRULE_SEED=free` new ones each time.
import fc from 'fast-check';

const asked = process.env.FERRULE_SEED ?? '20261128';
if (asked !== 'free') fc.configureGlobal({ seed: Number(asked) });
