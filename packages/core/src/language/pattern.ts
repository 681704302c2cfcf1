/** A text as a pattern that matches itself: names come from people and may hold what patterns give a meaning. */
export const literally = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
