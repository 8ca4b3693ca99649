<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import ZoneChoice from '$lib/ui/ZoneChoice.svelte';
  import { calendarsQuery, zonesQuery } from '$lib/api/queries';
  import { asMap, fromMap, listed, type Step } from './steps';

  /** What a step has to be told. */
  let { step = $bindable() }: { step: Step } = $props();
  const uid = $props.id();
  const calendars = calendarsQuery();
  const zones = zonesQuery();
  const PARTS = [
    ['attachments', 'attachments'],
    ['unknown', 'properties no standard knows'],
    ['notes', 'notes'],
    ['people', 'people'],
    ['place', 'place'],
    ['link', 'link'],
    ['conference', 'conference address'],
  ] as const;
  const FIELDS = ['title', 'place', 'notes', 'category', 'link'] as const;
  const UNITS = [
    { minutes: 1, name: 'minutes' },
    { minutes: 60, name: 'hours' },
    { minutes: 1440, name: 'days' },
  ];

  /** How a shift is said: an amount, a unit, a direction. */
  const shift = $derived.by(() => {
    const total = step.do === 'shift' ? (step.days ?? 0) * 1440 + (step.minutes ?? 0) : 0;
    const unit = [1440, 60].find((one) => total && total % one === 0) ?? 1;
    return { amount: Math.abs(total) / unit, unit, later: total >= 0 };
  });
  let unit = $state(60);
  function setShift(amount: number, of: number, later: boolean): void {
    unit = of;
    step = { do: 'shift', days: 0, minutes: Math.round(amount * of) * (later ? 1 : -1) };
  }
  const place = $derived(step.do === 'calendar' ? `${step.account ?? ''}\n${step.calendar}` : '');
  const where = $derived(
    (calendars.data ?? [])
      .filter((one) => one.writable)
      .map((one) => ({
        label: one.label,
        account: one.label === one.name ? '' : one.account || 'here',
        name: one.name,
      })),
  );
</script>

<div class="flex flex-wrap items-center gap-x-3 gap-y-2">
  {#if step.do === 'shift'}
    <Input
      type="number"
      min="0"
      aria-label="By how much"
      class="w-24"
      value={String(shift.amount * (shift.unit / unit))}
      oninput={(event) => setShift(Number(event.currentTarget.value) || 0, unit, shift.later)}
    />
    <select
      class="field"
      aria-label="Unit"
      value={unit}
      onchange={(event) => setShift(shift.amount * (shift.unit / unit), Number(event.currentTarget.value), shift.later)}
    >
      {#each UNITS as one (one.minutes)}<option value={one.minutes}>{one.name}</option>{/each}
    </select>
    <select
      class="field"
      aria-label="Direction"
      value={shift.later ? 'later' : 'earlier'}
      onchange={(event) => setShift(shift.amount * (shift.unit / unit), unit, event.currentTarget.value === 'later')}
    >
      <option value="later">later</option><option value="earlier">earlier</option>
    </select>
    <span class="text-soft">on each entry’s own clock; series with their changes</span>
  {:else if step.do === 'clock'}
    <ZoneChoice value={step.zone} label="To" onchange={(zone) => step.do === 'clock' && (step = { ...step, zone })} />
    <select class="field" aria-label="What stays" bind:value={step.keep}>
      <option value="clock">the hour stays, the instant changes</option>
      <option value="instant">the instant stays, the hour changes</option>
    </select>
    {#if step.keep === 'instant'}
      <select class="field" aria-label="Where the rule cannot express it" bind:value={step.otherwise}>
        <option value="leave">series no rule says so: leave them</option>
        <option value="dates">series no rule says so: date by date</option>
        <option value="clock">series no rule says so: keep their hour</option>
      </select>
    {/if}
    <span class="text-soft"
      >{step.of === null || step.of === undefined ? 'all times' : `times in ${step.of || 'no zone'} only`}{step.zone
        ? ''
        : '; floating: the same clock time in every zone'}</span
    >
  {:else if step.do === 'misread'}
    <ZoneChoice
      value={step.was}
      label="Was read as"
      onchange={(was) => step.do === 'misread' && (step = { ...step, was })}
    />
    <ZoneChoice
      value={step.zone}
      label="but meant"
      onchange={(zone) => step.do === 'misread' && (step = { ...step, zone })}
    />
    <select class="field" aria-label="Where the rule cannot express it" bind:value={step.otherwise}>
      <option value="leave">series no rule says so: leave them</option>
      <option value="dates">series no rule says so: date by date</option>
    </select>
  {:else if step.do === 'days-again'}
    <ZoneChoice
      value={step.zone}
      label="The days of"
      onchange={(zone) => step.do === 'days-again' && (step = { ...step, zone })}
    />
    <span class="text-soft">what goes from midnight to midnight there</span>
  {:else if step.do === 'timed'}
    <label class="flex items-center gap-2">at <Input type="time" bind:value={step.at} class="w-28" /></label>
    <label class="flex items-center gap-2"
      >for <input type="number" min="0" class="field w-24" bind:value={step.minutes} /> minutes</label
    >
    <label class="flex items-center gap-2"
      >in
      <Select bind:value={step.zone} class="w-56">
        <option value="">no zone (floating)</option>
        {#each zones.data ?? [] as zone (zone)}<option value={zone}>{zone}</option>{/each}
      </Select></label
    >
  {:else if step.do === 'end-series'}
    <DayField label="Last day" value={step.last} onchange={(day) => (step = { do: 'end-series', last: day })} />
    <span class="text-soft">what comes after it is cut off</span>
  {:else if step.do === 'begin-series'}
    <DayField label="First day" value={step.first} onchange={(day) => (step = { do: 'begin-series', first: day })} />
    <span class="text-soft">what came before it is cut off</span>
  {:else if step.do === 'replace'}
    <label class="flex items-center gap-2"
      >In the
      <Select bind:value={step.field} class="w-28">
        {#each FIELDS as field (field)}<option value={field}>{field}</option>{/each}
      </Select></label
    >
    <Input bind:value={step.find} aria-label="Find" placeholder="find" class="min-w-32 flex-1" />
    <span aria-hidden="true">→</span>
    <Input bind:value={step.by} aria-label="Replace with" placeholder="nothing" class="min-w-32 flex-1" />
    <label class="flex gap-2"><input type="checkbox" class="accent-brass" bind:checked={step.cases} />match case</label>
    <label class="flex gap-2"
      ><input type="checkbox" class="accent-brass" bind:checked={step.pattern} />a regular expression (\1 is its first
      group)</label
    >
  {:else if step.do === 'categories'}
    <Select bind:value={step.mode} aria-label="What to do" class="w-36">
      <option value="add">add</option><option value="remove">take out</option><option value="set">set to</option>
    </Select>
    <Input
      aria-label="Categories"
      placeholder="one, or several with commas"
      class="min-w-48 flex-1"
      value={step.values?.join(', ') ?? ''}
      onchange={(event) => step.do === 'categories' && (step.values = listed(event.currentTarget.value))}
    />
  {:else if step.do === 'busy'}
    <label class="flex gap-2"
      ><input type="radio" class="accent-brass" name="{uid}-busy" value={true} bind:group={step.busy} />busy</label
    >
    <label class="flex gap-2"
      ><input type="radio" class="accent-brass" name="{uid}-busy" value={false} bind:group={step.busy} />free</label
    >
  {:else if step.do === 'privacy'}
    <Select bind:value={step.privacy} aria-label="Privacy" class="w-48">
      <option value="PUBLIC">public</option><option value="PRIVATE">private</option>
      <option value="CONFIDENTIAL">confidential</option><option value="">not said</option>
    </Select>
  {:else if step.do === 'status'}
    <Select bind:value={step.status} aria-label="Status" class="w-48">
      <option value="CONFIRMED">confirmed</option><option value="TENTATIVE">tentative</option>
      <option value="CANCELLED">cancelled</option><option value="NEEDS-ACTION">to be done (to-dos)</option>
      <option value="IN-PROCESS">begun (to-dos)</option><option value="COMPLETED">done (to-dos)</option>
      <option value="">not said</option>
    </Select>
  {:else if step.do === 'alarms'}
    <Select bind:value={step.mode} aria-label="What to do" class="w-44">
      <option value="set">set to one only</option><option value="add">add</option>
      <option value="strip">take all out</option>
    </Select>
    {#if step.mode !== 'strip'}
      <label class="flex items-center gap-2"
        ><input type="number" class="field w-24" bind:value={step.minutes} /> minutes before the</label
      >
      <Select bind:value={step.related} aria-label="Start or end" class="w-24">
        <option value="start">start</option><option value="end">end</option>
      </Select>
    {/if}
  {:else if step.do === 'map-address'}
    <Input bind:value={step.old} aria-label="Old address" placeholder="@old.example" class="min-w-40 flex-1" />
    <span aria-hidden="true">→</span>
    <Input bind:value={step.new} aria-label="New address" placeholder="@new.example" class="min-w-40 flex-1" />
    <span class="text-soft w-full"
      >A domain with @, or one address. Applies to organisers, attendees and reminders.</span
    >
  {:else if step.do === 'drop-people'}
    <Input
      aria-label="People"
      placeholder="ida@old.example, @left.example"
      class="min-w-48 flex-1"
      value={step.who.join(', ')}
      onchange={(event) => (step = { do: 'drop-people', who: listed(event.currentTarget.value) })}
    />
  {:else if step.do === 'strip'}
    <Select bind:value={step.part} aria-label="Part" class="w-60">
      {#each PARTS as [part, name] (part)}<option value={part}>{name}</option>{/each}
    </Select>
    {#if step.part === 'unknown'}
      <Input
        aria-label="Names"
        placeholder="all of them, or X-FIRST, X-SECOND"
        class="min-w-48 flex-1"
        value={step.names?.join(', ') ?? ''}
        onchange={(event) => step.do === 'strip' && (step.names = listed(event.currentTarget.value))}
      />
    {/if}
  {:else if step.do === 'say-in-notes'}
    <Input
      aria-label="Properties"
      placeholder="all unknown ones, or X-FIRST, CONTACT"
      class="min-w-48 flex-1"
      value={step.names?.join(', ') ?? ''}
      onchange={(event) => step.do === 'say-in-notes' && (step.names = listed(event.currentTarget.value))}
    />
  {:else if step.do === 'one-alarm'}
    <Select bind:value={step.keep} aria-label="Which" class="w-72">
      <option value="last">the last one before the start</option>
      <option value="first">the first one</option>
    </Select>
  {:else if step.do === 'link-attachments'}
    <Input bind:value={step.under} aria-label="Under" placeholder="https://files…" class="min-w-48 flex-1" />
    <label class="flex items-center gap-2"
      >from <input type="number" class="field w-24" min="0" bind:value={step.most} aria-label="kB" /> kB on</label
    >
    <span class="text-soft w-full text-[12px]"
      >Put the files there first: Export…, “Attachments only, as files”, names them as the links do.</span
    >
  {:else if step.do === 'fetch-links'}
    <label class="flex items-center gap-2"
      >up to <input type="number" class="field w-24" min="1" bind:value={step.most} aria-label="kB each" /> kB each</label
    >
  {:else if step.do === 'property'}
    <Input bind:value={step.source} aria-label="Property" placeholder="X-BUSY-STATE" class="w-44" />
    <span aria-hidden="true">→</span>
    <Input bind:value={step.target} aria-label="Becomes" placeholder="TRANSP" class="w-44" />
    <Input
      aria-label="Values"
      placeholder="AWAY = OPAQUE, FREE = TRANSPARENT; the same where empty"
      class="min-w-56 flex-1"
      value={fromMap(step.values ?? {})}
      onchange={(event) => step.do === 'property' && (step.values = asMap(event.currentTarget.value))}
    />
    <label class="flex gap-2"
      ><input type="checkbox" class="accent-brass" bind:checked={step.keep} />keep the first one too</label
    >
  {:else if step.do === 'calendar'}
    <select
      class="field min-w-64"
      aria-label="Calendar"
      value={place}
      onchange={(event) => {
        const [account = '', calendar = ''] = event.currentTarget.value.split('\n');
        step = { do: 'calendar', calendar, account };
      }}
    >
      <option value={'\n'} disabled>choose a calendar</option>
      {#each where as one (`${one.account}\n${one.name}`)}
        <option value={`${one.account}\n${one.name}`}>{one.label}</option>
      {/each}
    </select>
    <span class="text-soft">deleted at the source once it has been read back there</span>
  {:else if step.do === 'delete'}
    <DayField
      label="Over before"
      value={step.before ?? ''}
      onchange={(day) => (step = { do: 'delete', check: '', before: day })}
    />
    <span class="text-soft">series only once their last occurrence is</span>
  {:else if step.do === 'all-day'}
    <span class="text-soft">on the days on which it happens on its own clock</span>
  {/if}
</div>
