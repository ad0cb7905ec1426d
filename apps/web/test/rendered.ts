import type { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import type { Type } from '@angular/core';
import type { ComponentFixture } from '@angular/core/testing';
import { TestBed } from '@angular/core/testing';
import { MatCheckboxHarness } from '@angular/material/checkbox/testing';
import { MatFormFieldHarness } from '@angular/material/form-field/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import { MatSelectHarness } from '@angular/material/select/testing';

/** A component on a page of its own, used the way a person does: by what is written on things. */
export interface Rendered<T> {
  readonly fixture: ComponentFixture<T>;
  readonly host: HTMLElement;
  readonly loader: HarnessLoader;
  /** Everything written, blanks as one. */
  readonly text: () => string;
  /** Labels of the fields, in their order. */
  readonly labels: () => Promise<string[]>;
  readonly button: (name: string) => HTMLButtonElement;
  readonly press: (name: string) => Promise<void>;
  /** What stands in a field; of a choice its words. */
  readonly valueOf: (label: string) => Promise<string>;
  /** What stands under a field that is wrong; empty where it is not. */
  readonly errorOf: (label: string) => Promise<string>;
  readonly optionsOf: (label: string) => Promise<string[]>;
  /** Types and leaves the field, or chooses. */
  readonly enter: (label: string, value: string) => Promise<void>;
  readonly tickBox: (label: string) => Promise<MatCheckboxHarness>;
  readonly tick: (label: string) => Promise<void>;
  /** Rows of the tables, cell by cell. */
  readonly rows: () => string[][];
  readonly set: (inputs: Record<string, unknown>) => Promise<void>;
  readonly settle: () => Promise<void>;
}

const squeezed = (text: string | null): string => (text ?? '').replace(/\s+/g, ' ').trim();

/** @param listen called before anything happens, to hear what the component says by itself */
export async function rendered<T>(
  type: Type<T>,
  inputs: Record<string, unknown> = {},
  listen: (component: T) => void = () => undefined,
): Promise<Rendered<T>> {
  const fixture = TestBed.createComponent(type);
  listen(fixture.componentInstance);
  for (const [key, value] of Object.entries(inputs)) fixture.componentRef.setInput(key, value);
  await fixture.whenStable();
  return pageOf(fixture);
}

/** The same for a fixture that is there already. */
export async function pageOf<T>(fixture: ComponentFixture<T>): Promise<Rendered<T>> {
  const host = fixture.nativeElement as HTMLElement;
  const loader = TestbedHarnessEnvironment.loader(fixture);
  const settle = async (): Promise<void> => {
    for (let k = 0; k < 3; k++) {
      await new Promise((resolve) => setTimeout(resolve, 0));
      await fixture.whenStable();
    }
  };
  const button = (name: string): HTMLButtonElement => {
    const all = [...host.querySelectorAll('button')];
    const found = all.find((b) => (b.getAttribute('aria-label') ?? squeezed(b.textContent)) === name);
    if (!found) throw new Error(`no button named "${name}" in: ${squeezed(host.textContent)}`);
    return found;
  };
  const fieldOf = async (label: string): Promise<MatFormFieldHarness> => {
    const all = await loader.getAllHarnesses(MatFormFieldHarness);
    for (const field of all) if ((await field.getLabel()) === label) return field;
    throw new Error(`no field named "${label}" in: ${squeezed(host.textContent)}`);
  };
  const choiceOf = async (label: string): Promise<MatSelectHarness> => {
    const control = await (await fieldOf(label)).getControl(MatSelectHarness);
    if (control === null) throw new Error(`"${label}" is no choice`);
    return control;
  };
  const tickBox = (label: string): Promise<MatCheckboxHarness> =>
    loader.getHarness(MatCheckboxHarness.with({ label: new RegExp(`^${label}`) }));
  await settle();
  return {
    fixture,
    host,
    loader,
    text: () => squeezed(host.textContent),
    async labels() {
      const all = await loader.getAllHarnesses(MatFormFieldHarness);
      return Promise.all(all.map(async (field) => (await field.getLabel()) ?? ''));
    },
    button,
    async press(name) {
      button(name).click();
      await settle();
    },
    async valueOf(label) {
      const control = await (await fieldOf(label)).getControl();
      if (control instanceof MatSelectHarness) return control.getValueText();
      return control instanceof MatInputHarness ? control.getValue() : '';
    },
    errorOf: async (label) => (await (await fieldOf(label)).getTextErrors()).join(' '),
    async optionsOf(label) {
      const choice = await choiceOf(label);
      await choice.open();
      const options = await choice.getOptions();
      const texts = await Promise.all(options.map((o) => o.getText()));
      await choice.close();
      return texts;
    },
    async enter(label, value) {
      const control = await (await fieldOf(label)).getControl();
      if (control instanceof MatSelectHarness) await control.clickOptions({ text: value });
      else if (control instanceof MatInputHarness) {
        await control.setValue(value);
        // a browser tells of a change when the field is left
        await (await control.host()).dispatchEvent('change');
        await control.blur();
      }
      await settle();
    },
    tickBox,
    async tick(label) {
      await (await tickBox(label)).toggle();
      await settle();
    },
    rows: () =>
      [...host.querySelectorAll('tr')].map((row) => [...row.querySelectorAll('th, td')].map((cell) => squeezed(cell.textContent))),
    async set(more) {
      for (const [key, value] of Object.entries(more)) fixture.componentRef.setInput(key, value);
      await settle();
    },
    settle,
  };
}
