<%@ page contentType="text/html; charset=UTF-8" %>
<%@ page import="java.util.List, tidewire.client.Gauges, tidewire.client.Station" %>
<%@ taglib prefix="tide" uri="http://tidewire.example/tags" %>
<%@ taglib prefix="rail" uri="http://railwire.example/tags" %>
<%
    Station station = new Station(application.getInitParameter("tide.host"), 7070);
    double level = Gauges.level(station.gauge("mole"), "m"); // read once a page
%>
<h1>Berths at <%= level %> m, <%= Gauges.level(station.gauge("lock"), "m") %> m in the lock</h1>
<tide:level gauge="mole" mode="<%= level < 2 ? "low" : "high" %>"/>
<rail:level gauge="1435" mode="wide"/>
<% for (harbour.rail.Station stop : (List<harbour.rail.Station>) request.getAttribute("stops")) { %>
  <li title="new Station(host, 7070)"><%= stop %></li>
<% } %>
<script type="module">
  import { watch } from "tidewire";
  watch("mole", <%= level %>);
  <% if (level < 2) { %>
  watch("lock", "as watch('lock', 2)");
  <% } %>
</script>
<% station.stopStation(); %>
