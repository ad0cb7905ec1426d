import type { EnvironmentProviders, Provider } from '@angular/core';
import { MAT_BUTTON_TOGGLE_DEFAULT_OPTIONS } from '@angular/material/button-toggle';
import { ErrorStateMatcher, MAT_RIPPLE_GLOBAL_OPTIONS, ShowOnDirtyErrorStateMatcher } from '@angular/material/core';
import { MAT_FORM_FIELD_DEFAULT_OPTIONS } from '@angular/material/form-field';
import { MAT_ICON_DEFAULT_OPTIONS } from '@angular/material/icon';
import { MAT_SELECT_CONFIG } from '@angular/material/select';
import { MAT_SNACK_BAR_DEFAULT_OPTIONS } from '@angular/material/snack-bar';
import { MAT_TOOLTIP_DEFAULT_OPTIONS } from '@angular/material/tooltip';
import { provideIcons } from './icons';

/** How Material's parts behave everywhere: labels always above, an error as soon as it is typed, lists as wide as their longest line. */
export const provideMaterial = (): (EnvironmentProviders | Provider)[] => [
  provideIcons(),
  { provide: ErrorStateMatcher, useClass: ShowOnDirtyErrorStateMatcher },
  { provide: MAT_RIPPLE_GLOBAL_OPTIONS, useValue: { disabled: true } },
  { provide: MAT_ICON_DEFAULT_OPTIONS, useValue: { fontSet: 'none' } },
  {
    provide: MAT_FORM_FIELD_DEFAULT_OPTIONS,
    useValue: { appearance: 'fill', floatLabel: 'always', subscriptSizing: 'dynamic', hideRequiredMarker: true },
  },
  { provide: MAT_SELECT_CONFIG, useValue: { panelWidth: '', hideSingleSelectionIndicator: true } },
  {
    provide: MAT_BUTTON_TOGGLE_DEFAULT_OPTIONS,
    useValue: { hideSingleSelectionIndicator: true, hideMultipleSelectionIndicator: true },
  },
  {
    provide: MAT_TOOLTIP_DEFAULT_OPTIONS,
    useValue: { showDelay: 400, hideDelay: 0, touchendHideDelay: 1500, disableTooltipInteractivity: true },
  },
  { provide: MAT_SNACK_BAR_DEFAULT_OPTIONS, useValue: { duration: 12_000 } },
];
