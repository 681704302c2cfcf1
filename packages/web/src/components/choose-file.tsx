import { type ReactNode, useEffect, useRef } from 'react';

/** What is asked of a drag, of the browser's own events and of React's alike. */
interface Drag {
  readonly dataTransfer: DataTransfer | null;
  preventDefault(): void;
}
const bringsFiles = (e: Drag): boolean => e.dataTransfer?.types.includes('Files') ?? false;

interface Chosen {
  /** What the file is, for who cannot see the button. */ readonly label: string;
  /** Endings of names offered, as of an input of type file; all when not given. */ readonly accept?: string;
  /** A whole folder is chosen in place of a file. */ readonly isFolder?: boolean;
  /** Called with what was chosen, never with nothing. */ readonly onFiles: (files: File[]) => void;
}

/**
 * The browser's own dialog for a file or a folder, behind whatever button or entry of a menu opens it. The same file can
 * be chosen again once it is mended: a browser tells only of changes, so that nothing stays chosen.
 *
 * @returns what opens the dialog, and the element that must be on the page for it (not inside a menu that closes)
 */
export function useFileDialog({ label, accept, isFolder, onFiles }: Chosen): readonly [() => void, ReactNode] {
  const input = useRef<HTMLInputElement>(null);
  return [
    () => input.current?.click(),
    <input
      key={label}
      ref={input}
      type="file"
      hidden
      accept={accept}
      aria-label={label}
      {...(isFolder ? { webkitdirectory: '' } : {})}
      onChange={(e) => {
        const files = [...(e.target.files ?? [])];
        e.target.value = '';
        if (files.length) onFiles(files);
      }}
    />,
  ];
}

/**
 * What a part of the page has so that files can be dropped there.
 *
 * @param onFiles called with what was dropped, never with nothing
 */
export function dropsInto(onFiles: (files: File[]) => void): {
  readonly onDragOver: (e: Drag) => void;
  readonly onDrop: (e: Drag) => void;
} {
  return {
    onDragOver: (e) => {
      if (bringsFiles(e)) e.preventDefault();
    },
    onDrop: (e) => {
      if (!bringsFiles(e)) return;
      e.preventDefault();
      const files = [...e.dataTransfer!.files];
      if (files.length) onFiles(files);
    },
  };
}

/**
 * Files dropped anywhere on the page, where no part of it takes them itself. Without it a browser leaves the application
 * and shows the file.
 *
 * @param onFiles called with what was dropped, never with nothing
 */
export function useDroppedFiles(onFiles: (files: File[]) => void): void {
  const latest = useRef(onFiles);
  useEffect(() => {
    latest.current = onFiles;
  });
  useEffect(() => {
    const { onDragOver, onDrop } = dropsInto((files) => latest.current(files));
    const over = (e: DragEvent) => {
      if (!e.defaultPrevented) onDragOver(e);
    };
    const drop = (e: DragEvent) => {
      if (!e.defaultPrevented) onDrop(e);
    };
    window.addEventListener('dragover', over);
    window.addEventListener('drop', drop);
    return () => {
      window.removeEventListener('dragover', over);
      window.removeEventListener('drop', drop);
    };
  }, []);
}
