/** A monotonic clock in ms that all threads of the process share. */
export const clockMs = (): number => Number(process.hrtime.bigint()) / 1e6;
