<script lang="ts">
	import '../app.css';
	import { Shell } from '$ui/shell';

	let { data, children } = $props();
</script>

<Shell customers={data.customers} customerId={data.customerId}>{@render children()}</Shell>
