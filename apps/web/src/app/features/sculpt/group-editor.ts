import type { OnDestroy } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { MatInputModule } from '@angular/material/input';
import { MatMenuModule } from '@angular/material/menu';
import type { PartInfo, SetGroups } from '@estampe/contracts';
import { groupFill, MAX_GROUPS } from '@estampe/contracts';
import type { FaceGroups } from '@estampe/core';
import { groupRuns, groupsOfRuns, regrouped, renamedGroup } from '@estampe/core';
import { FaceMarking } from '../../shared/face-marking';
import { count } from '../../shared/format';
import { NumberField } from '../../shared/forms/number-field';
import { NameDialog } from '../../shared/name-dialog';

/** Bends that a flood may stop at, degrees. */
const BENDS = { least: 1, usual: 40, most: 180 } as const;

/** Groups of faces: which there are, marking faces on the Stage, and putting them into a group. */
@Component({
  selector: 'est-group-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    MatAutocompleteModule,
    MatButtonModule,
    MatButtonToggleModule,
    MatCheckboxModule,
    MatIconModule,
    MatInputModule,
    MatMenuModule,
    NumberField,
    ReactiveFormsModule,
  ],
  template: `
    <ul>
      @for (group of rows(); track group.name) {
        <li>
          <i [style.background]="group.fill" aria-hidden="true"></i>
          <button matButton type="button" class="name" (click)="marking.markGroup(group.name)">{{ group.label }}</button>
          <span class="num">{{ group.faces }}</span>
          @if (group.name !== '') {
            <button matIconButton type="button" [attr.aria-label]="'More about group ' + group.name" [matMenuTriggerFor]="menu">
              <mat-icon svgIcon="more" />
            </button>
            <mat-menu #menu="matMenu">
              <button mat-menu-item type="button" (click)="rename(group.name)"><mat-icon svgIcon="rename" />Rename…</button>
              <button mat-menu-item type="button" (click)="dissolve(group.name)"><mat-icon svgIcon="remove" />Dissolve</button>
            </mat-menu>
          }
        </li>
      }
    </ul>
    <p class="muted">Mark faces on the Stage, then name the group. Shift adds, Alt takes away; the right button turns the view.</p>
    <div class="line">
      <span>Mark by</span>
      <mat-button-toggle-group aria-label="How faces are marked" [value]="marking.tool()" (change)="marking.tool.set($event.value)">
        <mat-button-toggle value="flood">flood</mat-button-toggle>
        <mat-button-toggle value="lasso">lasso</mat-button-toggle>
      </mat-button-toggle-group>
    </div>
    @if (marking.tool() === 'flood') {
      <div class="stops">
        <mat-checkbox [checked]="marking.stops().bendDegrees !== null" (change)="stopAtBends($event.checked)">up to creases</mat-checkbox>
        @if (marking.stops().bendDegrees !== null) {
          <est-number-field label="Bent by more than" unit="°" [control]="bend" />
        }
        <mat-checkbox [checked]="marking.stops().groups" (change)="stop({ groups: $event.checked })">up to borders of groups</mat-checkbox>
        <mat-checkbox [checked]="marking.stops().seams" (change)="stop({ seams: $event.checked })">up to seams of UVs</mat-checkbox>
      </div>
    }
    <p class="marked" role="status">
      <span class="num">{{ marked() }}</span> of <span class="num">{{ all() }}</span> faces marked
    </p>
    <div class="line four">
      <button matButton="outlined" type="button" [disabled]="!some()" (click)="marking.grow()">Grow</button>
      <button matButton="outlined" type="button" [disabled]="!some()" (click)="marking.shrink()">Shrink</button>
      <button matButton="outlined" type="button" (click)="marking.invert()">The rest</button>
      <button matButton="outlined" type="button" [disabled]="!some()" (click)="marking.clear()">None</button>
    </div>
    <div class="line into">
      <mat-form-field>
        <mat-label>Group</mat-label>
        <input matInput maxlength="80" [formControl]="name" [matAutocomplete]="known" (keydown.enter)="put()" />
        <mat-autocomplete #known="matAutocomplete">
          @for (option of names(); track option) {
            <mat-option [value]="option">{{ option }}</mat-option>
          }
        </mat-autocomplete>
      </mat-form-field>
      <button matButton="filled" type="button" [disabled]="!ready()" (click)="put()">Put them in</button>
    </div>
    @if (rows().length > 1) {
      <p class="muted">Islands can part at the borders of groups (step Sheet), and so can parts: each group with what stands over it.</p>
      <p class="actions">
        <button matButton="outlined" type="button" (click)="split.emit()">Split into {{ rows().length }} parts</button>
      </p>
    }
    @if (full()) {
      <p class="note warn">A mesh holds at most {{ most }} groups; dissolve some.</p>
    }
  `,
  styles: `
    ul {
      list-style: none;
      margin: 0;
      padding: 0;
      max-height: 220px;
      overflow: auto;
    }
    li {
      display: grid;
      grid-template-columns: 14px minmax(0, 1fr) auto 32px;
      gap: 8px;
      align-items: center;
      border-bottom: 1px solid var(--rule);
      min-height: 32px;
    }
    li i {
      width: 14px;
      height: 14px;
      border: 1px solid var(--graphite);
    }
    .name {
      justify-content: start;
      padding: 0;
      overflow-wrap: anywhere;
    }
    .line {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 6px;
      margin: 8px 0;
    }
    .four button {
      padding: 0 8px;
    }
    .marked {
      margin: 8px 0 0;
    }
    .stops {
      display: grid;
    }
    .into mat-form-field {
      flex: 1;
    }
  `,
})
export class GroupEditor implements OnDestroy {
  readonly meshId = input.required<string>();
  /** Made here; null for those that the mesh came with. */
  readonly made = input.required<PartInfo['groups']>();
  readonly faces = input.required<number>();
  readonly grouped = output<SetGroups>();
  /** A part of each group is wanted. */
  readonly split = output();
  protected readonly marking = inject(FaceMarking);
  private readonly dialogs = inject(MatDialog);
  protected readonly most = MAX_GROUPS;
  protected readonly name = new FormControl('', { nonNullable: true });
  private readonly typed = toSignal(this.name.valueChanges, { initialValue: '' });
  protected readonly bend = new FormControl<number | null>(BENDS.usual);
  private readonly groups = computed<FaceGroups | null>(() => this.marking.mesh()?.groups ?? null);
  protected readonly names = computed(() => this.groups()?.names.filter((name) => name !== '') ?? []);
  protected readonly rows = computed(() => {
    const groups = this.groups();
    if (groups === null) return [];
    const sizes = new Uint32Array(groups.names.length);
    for (const g of groups.of) sizes[g]++;
    return groups.names.map((name, g) => ({
      name,
      label: name === '' ? 'no group' : name,
      fill: name === '' ? 'transparent' : groupFill(g),
      faces: count(sizes[g]),
    }));
  });
  protected readonly some = computed(() => this.marking.count() > 0);
  protected readonly all = computed(() => count(this.faces()));
  protected readonly marked = computed(() => count(this.marking.count()));
  protected readonly full = computed(() => this.names().length >= MAX_GROUPS && !this.names().includes(this.typed().trim()));
  protected readonly ready = computed(() => this.some() && this.typed().trim() !== '' && !this.full());

  constructor() {
    effect(() => {
      const made = this.made();
      const groups = made === null ? null : groupsOfRuns(made, this.faces());
      void this.marking.open(this.meshId(), groups);
    });
    const typed = toSignal(this.bend.valueChanges, { initialValue: this.bend.value });
    effect(() => {
      const degrees = typed();
      if (degrees !== null && degrees >= BENDS.least && degrees <= BENDS.most)
        untracked(() => this.marking.stops().bendDegrees !== null && this.stop({ bendDegrees: degrees }));
    });
  }
  ngOnDestroy(): void {
    this.marking.close();
  }

  protected stop(change: Partial<ReturnType<FaceMarking['stops']>>): void {
    this.marking.stops.update((stops) => ({ ...stops, ...change }));
  }
  protected stopAtBends(on: boolean): void {
    this.stop({ bendDegrees: on ? (this.bend.value ?? BENDS.usual) : null });
  }
  protected put(): void {
    const [groups, marked, name] = [this.groups(), this.marking.marked(), this.name.value.trim()];
    if (groups === null || marked === null || !this.ready()) return;
    this.send(`${this.marked()} faces into group ${name}`, regrouped(groups, marked, name));
    this.marking.clear();
    this.name.setValue('');
  }
  protected dissolve(name: string): void {
    const groups = this.groups();
    if (groups !== null) this.send(`group ${name} dissolved`, renamedGroup(groups, name, ''));
  }
  protected rename(from: string): void {
    const dialog = this.dialogs.open<NameDialog, unknown, string>(NameDialog);
    dialog.componentRef?.setInput('name', from);
    dialog.afterClosed().subscribe((to) => {
      const groups = this.groups();
      if (groups !== null && to !== undefined && to !== from) this.send(`group ${from} is called ${to}`, renamedGroup(groups, from, to));
    });
  }
  private send(title: string, groups: FaceGroups): void {
    const { names, runs } = groupRuns(groups);
    this.grouped.emit({ title, groups: { names: [...names], runs: [...runs] } });
  }
}
