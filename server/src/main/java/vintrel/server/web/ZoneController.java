package vintrel.server.web;

import jakarta.servlet.http.HttpServletResponse;
import java.time.DateTimeException;
import java.time.ZoneId;
import java.util.Map;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;

/** A person chooses the time zone of all pages. */
@Controller
class ZoneController {
  private static final int MAX_NAME = 80;

  private final PersonZones zones;
  private final Settings settings;

  ZoneController(PersonZones zones, Settings settings) {
    this.zones = zones;
    this.settings = settings;
  }

  /**
   * @param zone of the IANA list; empty: the browser's again
   */
  @PostMapping("/prefs/zone")
  @ResponseBody
  Map<String, String> choose(
      @RequestParam(defaultValue = "") String zone, HttpServletResponse response) {
    var chosen = zone.isEmpty() ? null : parsed(zone);
    // In the demo all are one person.
    if (!settings.demo()) {
      zones.choose(CurrentUser.name(), chosen);
    }
    response.addCookie(PagePreferences.zoneCookie(chosen));
    return Map.of("zone", zone);
  }

  private static ZoneId parsed(String zone) {
    try {
      if (zone.length() <= MAX_NAME && ZoneId.getAvailableZoneIds().contains(zone)) {
        return ZoneId.of(zone);
      }
    } catch (DateTimeException e) {
      // told below
    }
    throw new IllegalArgumentException(
        "no time zone named `" + zone + "`; write for example Europe/Oslo or UTC");
  }
}
