import type { EnvironmentProviders } from '@angular/core';
import { inject, provideEnvironmentInitializer } from '@angular/core';
import { MatIconRegistry } from '@angular/material/icon';
import { DomSanitizer } from '@angular/platform-browser';
import {
  AlignHorizontalDistributeCenter,
  ChevronLeft,
  ChevronRight,
  Copy,
  Ellipsis,
  Eye,
  Keyboard,
  Moon,
  Pencil,
  Redo2,
  Sun,
  Trash2,
  Undo2,
  Waves,
  Zap,
} from 'lucide-static';

/** The icons that the page uses, from the shipped set, under our own names. */
const ICONS = {
  copy: Copy,
  dark: Moon,
  flicker: Zap,
  keys: Keyboard,
  light: Sun,
  lines: Waves,
  more: Ellipsis,
  next: ChevronRight,
  previous: ChevronLeft,
  redo: Redo2,
  remove: Trash2,
  rename: Pencil,
  size: Eye,
  undo: Undo2,
  wipe: AlignHorizontalDistributeCenter,
} as const;

/** Puts them into Material's registry; nothing is fetched. */
export const provideIcons = (): EnvironmentProviders =>
  provideEnvironmentInitializer(() => {
    const registry = inject(MatIconRegistry);
    const sanitizer = inject(DomSanitizer);
    // text of a package that is part of the build
    for (const [name, svg] of Object.entries(ICONS)) registry.addSvgIconLiteral(name, sanitizer.bypassSecurityTrustHtml(svg));
  });
