/** The command palette is opened from anywhere, empty or with the beginning of what is wanted. */
import { create } from 'zustand';

export const usePalette = create<{ readonly open: boolean; readonly text: string }>(() => ({ open: false, text: '' }));
export const askPalette = (text = ''): void => usePalette.setState({ open: true, text });
