import type { Type } from '@angular/core';
import type { ComponentFixture } from '@angular/core/testing';
import { TestBed } from '@angular/core/testing';

/** A component on a page of its own, used the way a person does: by what is written on things. */
export interface Rendered<T> {
  readonly fixture: ComponentFixture<T>;
  readonly host: HTMLElement;
  /** Everything written, blanks as one. */
  text(): string;
  button(name: string): HTMLButtonElement;
  press(name: string): Promise<void>;
  /** A field by its label, or by the name that is read out. */
  field(label: string): HTMLInputElement;
  /** Types, or chooses, and leaves the field. */
  enter(label: string, value: string): Promise<void>;
  tick(label: string): Promise<void>;
  set(inputs: Record<string, unknown>): Promise<void>;
  settle(): Promise<void>;
}

const squeezed = (text: string | null): string => (text ?? '').replace(/\s+/g, ' ').trim();

export async function rendered<T>(type: Type<T>, inputs: Record<string, unknown> = {}): Promise<Rendered<T>> {
  const fixture = TestBed.createComponent(type);
  const host = fixture.nativeElement as HTMLElement;
  const settle = async (): Promise<void> => {
    for (let k = 0; k < 3; k++) {
      await new Promise((resolve) => setTimeout(resolve, 0));
      await fixture.whenStable();
    }
  };
  const set = async (more: Record<string, unknown>): Promise<void> => {
    for (const [key, value] of Object.entries(more)) fixture.componentRef.setInput(key, value);
    await settle();
  };
  const found = <E>(what: string, name: string, element: E | undefined | null): E => {
    if (!element) throw new Error(`no ${what} named "${name}" in: ${squeezed(host.textContent)}`);
    return element;
  };
  const button = (name: string): HTMLButtonElement =>
    found('button', name, [...host.querySelectorAll('button')].find((b) => (b.getAttribute('aria-label') ?? squeezed(b.textContent)) === name)); // prettier-ignore
  const field = (label: string): HTMLInputElement => {
    const named = [...host.querySelectorAll<HTMLInputElement>('input, select')].find((f) => f.getAttribute('aria-label') === label);
    const text = [...host.querySelectorAll('label')].find((l) => squeezed(l.textContent).startsWith(label));
    const own = text?.querySelector<HTMLInputElement>('input, select') ?? (text?.htmlFor ? host.querySelector<HTMLInputElement>(`[id="${text.htmlFor}"]`) : null);
    return found('field', label, named ?? own);
  }; // prettier-ignore
  await set(inputs);
  return {
    fixture,
    host,
    text: () => squeezed(host.textContent),
    button,
    async press(name) {
      button(name).click();
      await settle();
    },
    field,
    async enter(label, value) {
      const target = field(label);
      target.value = value;
      target.dispatchEvent(new Event('input'));
      target.dispatchEvent(new Event('change'));
      await settle();
    },
    async tick(label) {
      field(label).click();
      await settle();
    },
    set,
    settle,
  };
}
