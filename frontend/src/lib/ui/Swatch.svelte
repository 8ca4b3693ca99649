<script lang="ts">
  import type { Calendar } from '$lib/api/client';
  import { shade } from '$lib/ui/palette';

  /** A calendar's colour beside its name. */
  const { calendar }: { calendar: Pick<Calendar, 'own_colour' | 'colour'> } = $props();
</script>

<span class="border-line inline-block h-3 w-3 shrink-0 border" style:background={shade(calendar)} aria-hidden="true"
></span>
