<script lang="ts">
  import type { Calendar } from '$lib/api/client';
  import { shade } from '$lib/ui/palette';
  import type { Piece } from './layout';

  /** An occurrence as it is drawn: its title in ink on a light ground, its layer's colour as a bar. */
  type Props = {
    piece: Piece;
    calendar: Calendar | undefined;
    overlaps?: boolean;
    opened?: boolean;
    detail?: boolean;
    /** Drawn as a narrow strip, its title along it. */
    strip?: boolean;
    /** Too narrow for its hour before the title. */
    narrow?: boolean;
    /** Wide enough for both its hours. */
    wide?: boolean;
    /** One line high. */
    short?: boolean;
    onopen: () => void;
    onkeydown?: (event: KeyboardEvent) => void;
    onpointerdown?: (event: PointerEvent) => void;
  };
  const {
    piece,
    calendar,
    overlaps = false,
    opened = false,
    detail = false,
    strip = false,
    narrow = false,
    wide = true,
    short = false,
    onopen,
    onkeydown,
    onpointerdown,
  }: Props = $props();

  const colour = $derived(calendar ? shade(calendar) : 'var(--soft)');
  const free = $derived(piece.marks.includes('free'));
  const cancelled = $derived(piece.marks.includes('cancelled'));
  const said = $derived(
    [
      piece.title,
      piece.hours || 'whole day',
      piece.own,
      piece.place,
      calendar?.label,
      piece.marks.join(', '),
      overlaps ? 'overlaps' : '',
    ]
      .filter(Boolean)
      .join(' · '),
  );
</script>

<button
  type="button"
  data-key={piece.key}
  title={said}
  class="block h-full w-full cursor-default overflow-hidden {strip
    ? 'px-0'
    : 'px-1'} text-left text-[12px] leading-[15px] select-none
    {piece.begins ? 'border-l-4' : 'border-l'} {opened ? 'outline-brass outline-2' : ''} {cancelled
    ? 'line-through opacity-70'
    : ''} {free ? 'free' : ''}"
  style:border-color={colour}
  style:background={free ? undefined : `color-mix(in srgb, ${colour} 17%, var(--sheet))`}
  style:--colour={colour}
  onclick={onopen}
  {onkeydown}
  {onpointerdown}
>
  <span
    class="block h-full overflow-hidden hyphens-auto {short || strip ? 'text-ellipsis whitespace-nowrap' : ''} {strip
      ? '[writing-mode:vertical-rl]'
      : ''}"
  >
    {#if overlaps}<span class="text-removed font-bold {short ? 'mr-0.5' : 'float-right'}" aria-hidden="true">✕</span
      ><span class="visually-hidden">overlaps:</span>{/if}
    {#if piece.hours && piece.begins && !detail && !strip && !narrow}<span class="figures text-[11px]"
        >{piece.hours.slice(0, 5)}</span
      >{/if}{#if !piece.begins}<span aria-hidden="true">… </span>{/if}
    {piece.title}
    {#if detail}
      <span class="figures block text-[11px] whitespace-nowrap">{wide ? piece.hours : piece.hours.slice(0, 5)}</span>
      {#if piece.own && wide}<span class="text-soft figures block text-[11px]">{piece.own}</span>{/if}
      {#if piece.place}<span class="text-soft block">{piece.place}</span>{/if}
    {/if}
  </span>
</button>

<style>
  .free {
    background: repeating-linear-gradient(
      -45deg,
      var(--sheet) 0 5px,
      color-mix(in srgb, var(--colour) 12%, var(--sheet)) 5px 7px
    );
  }
</style>
