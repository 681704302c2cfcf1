/** What is worked by hand at the cabinet. */
export type Network = 'ok' | 'slow' | 'cut';
export type Mode = 'run' | 'stop';
/** The key switch: run and stop whatever the network says, or as the network says. */
export type Key = 'run' | 'stop' | 'remote';
