package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.io.InputStream;
import java.security.Principal;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.zip.GZIPInputStream;
import java.util.zip.ZipException;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.store.StoreBusyException;
import vintrel.core.wire.OtlpJson;
import vintrel.core.wire.OtlpLogs;
import vintrel.core.wire.OtlpProtobuf;
import vintrel.core.wire.OtlpStatus;
import vintrel.core.wire.WireException;
import vintrel.server.store.LogStore;
import vintrel.server.web.Answers;
import vintrel.server.web.Pools;
import vintrel.server.web.RequestMemory;
import vintrel.server.web.Settings;
import vintrel.server.web.TooLargeException;
import vintrel.server.web.TooManyException;

/** OTLP over HTTP: protobuf or JSON by content type, gzip or not; answers in kind. */
@RestController
class OtlpController {
  private static final String PROTOBUF = "application/x-protobuf";
  private static final int INVALID_ARGUMENT = OtlpStatus.INVALID_ARGUMENT;
  private static final int UNAVAILABLE = OtlpStatus.UNAVAILABLE;
  private static final int FIRST = 8_192;

  /** Bytes of the heap for a byte of JSON, or of log records, that is read into objects. */
  private static final int JSON_SPREAD = 8;

  private final SampleSinks intakes;
  private final SourceBook book;
  private final LogStore events;
  private final RequestMemory memory;
  private final Pools pools;
  private final Batches batches;
  private final int maxBytes;
  private final JsonMapper json = JsonMapper.shared();

  OtlpController(
      SampleSinks intakes,
      SourceBook book,
      LogStore events,
      RequestMemory memory,
      Pools pools,
      Batches batches,
      Settings settings) {
    this.batches = batches;
    this.pools = pools;
    this.memory = memory;
    this.events = events;
    this.intakes = intakes;
    this.book = book;
    this.maxBytes = settings.ingest().maxRequestBytes();
  }

  @PostMapping("/v1/metrics")
  ResponseEntity<byte[]> metrics(HttpServletRequest request) throws IOException {
    var type = request.getContentType() == null ? "" : request.getContentType();
    boolean asJson = type.startsWith("application/json");
    if (!asJson && !type.startsWith(PROTOBUF)) {
      return status(
          request, 415, asJson, INVALID_ARGUMENT, "send " + PROTOBUF + " or application/json", 0);
    }
    StoreSampleSink intake;
    try {
      intake = intakes.open(request.getParameter("store"), way(request));
    } catch (IllegalArgumentException e) {
      return status(request, 400, asJson, INVALID_ARGUMENT, e.getMessage(), 0);
    }
    try (var batch = batches.of(request);
        var lease = memory.open()) {
      if (batch.isKnown) {
        return success(asJson, 0, "", "rejectedDataPoints");
      }
      var body = body(request, asJson ? JSON_SPREAD : 0, lease);
      lease.take(asJson ? JSON_SPREAD * (long) body.length : 0);
      pools.read(body.length, () -> read(asJson, body, intake));
      var outcome = intake.keep();
      batch.taken();
      var why = outcome.told();
      request.setAttribute(Answers.REASON, outcome.why());
      return success(asJson, outcome.refused(), why, "rejectedDataPoints");
    } catch (WireException e) {
      return status(request, 400, asJson, INVALID_ARGUMENT, e.getMessage(), 0);
    } catch (TooLargeException e) {
      return status(request, 413, asJson, INVALID_ARGUMENT, e.getMessage(), 0);
    } catch (StoreBusyException e) {
      return status(request, 503, asJson, UNAVAILABLE, e.getMessage(), e.retrySeconds());
    } catch (TooManyException e) {
      return status(request, 429, asJson, UNAVAILABLE, e.getMessage(), e.retrySeconds());
    }
  }

  /** A collector says who it is in its user agent. */
  private static Way way(HttpServletRequest request) {
    var agent = request.getHeader("User-Agent");
    return agent != null && agent.startsWith("vintrel-collector") ? Way.COLLECTOR : Way.OTLP;
  }

  private StoreSampleSink read(boolean asJson, byte[] body, StoreSampleSink intake) {
    if (asJson) {
      OtlpJson.read(document(body), intake);
    } else {
      OtlpProtobuf.read(body, intakes.cache(intake), intake);
    }
    return intake;
  }

  /** Log records; {@code ?store=} names the store, as for metrics. */
  @PostMapping("/v1/logs")
  ResponseEntity<byte[]> logs(HttpServletRequest request, Principal who) throws IOException {
    var type = request.getContentType() == null ? "" : request.getContentType();
    boolean asJson = type.startsWith("application/json");
    if (!asJson && !type.startsWith(PROTOBUF)) {
      return status(
          request, 415, asJson, INVALID_ARGUMENT, "send " + PROTOBUF + " or application/json", 0);
    }
    try (var batch = batches.of(request);
        var lease = memory.open()) {
      if (batch.isKnown) {
        return success(asJson, 0, "", "rejectedLogRecords");
      }
      var store = intakes.store(request.getParameter("store"));
      var body = body(request, JSON_SPREAD, lease);
      lease.take(JSON_SPREAD * (long) body.length);
      var rules = intakes.rules(who.getName());
      var read =
          pools.read(
              body.length,
              () -> asJson ? OtlpLogs.json(document(body), rules) : OtlpLogs.protobuf(body, rules));
      var receipt =
          events.append(store, intakes.labelled(read.events()), who.getName(), batch.mark());
      batch.taken();
      long lost = read.refused() + receipt.rejected();
      var why = receipt.why().isEmpty() ? read.why() : receipt.why();
      book.note(intakes.sender(Way.LOGS), receipt.accepted(), lost, why);
      return success(asJson, lost, why, "rejectedLogRecords");
    } catch (WireException | IllegalArgumentException e) {
      return status(request, 400, asJson, INVALID_ARGUMENT, e.getMessage(), 0);
    } catch (TooLargeException e) {
      return status(request, 413, asJson, INVALID_ARGUMENT, e.getMessage(), 0);
    } catch (StoreBusyException e) {
      return status(request, 503, asJson, UNAVAILABLE, e.getMessage(), e.retrySeconds());
    }
  }

  private Map<?, ?> document(byte[] body) {
    try {
      var read = json.readValue(body, Object.class);
      if (read instanceof Map<?, ?> map) {
        return map;
      }
    } catch (JacksonException e) {
      // Said below.
    }
    throw new WireException("the body is not a JSON object");
  }

  /**
   * The body unpacked; what it takes is counted while it grows.
   *
   * @param spread bytes that each of it takes once more when it is read into objects; it is limited
   *     so that one body alone has room
   */
  private byte[] body(HttpServletRequest request, int spread, RequestMemory.Lease lease)
      throws IOException {
    // Twice while it grows.
    long max = Math.min(maxBytes, memory.max() / (2 + spread));
    var encoding = request.getHeader("Content-Encoding");
    InputStream in = request.getInputStream();
    try {
      if ("gzip".equalsIgnoreCase(encoding)) {
        in = new GZIPInputStream(in, 65536);
      } else if (encoding != null && !"identity".equalsIgnoreCase(encoding)) {
        throw new WireException("unsupported content encoding " + encoding + "; use gzip");
      }
      int expected = Math.max(0, (int) request.getContentLengthLong());
      boolean plain = !(in instanceof GZIPInputStream);
      return read(in, plain, expected, max, lease);
    } catch (ZipException | java.io.EOFException e) {
      throw new WireException("the body is not valid gzip");
    }
  }

  private static byte[] read(
      InputStream in, boolean plain, int expected, long max, RequestMemory.Lease lease)
      throws IOException {
    if (expected > max) {
      throw new TooLargeException(max);
    }
    if (plain && expected > 0) {
      // Uses the declared length, so that it is read in place.
      lease.take(expected);
      var whole = new byte[expected];
      int n = in.readNBytes(whole, 0, expected);
      return n == expected ? whole : Arrays.copyOf(whole, n);
    }
    lease.take(Math.max(FIRST, expected + 1));
    var out = new byte[Math.max(FIRST, expected + 1)];
    int size = 0;
    for (int n = 0; n >= 0; n = in.read(out, size, out.length - size)) {
      size += n;
      if (size > max) {
        throw new TooLargeException(max);
      }
      if (size == out.length) {
        lease.take(out.length);
        out = Arrays.copyOf(out, 2 * out.length);
      }
    }
    return Arrays.copyOf(out, size);
  }

  private ResponseEntity<byte[]> success(
      boolean asJson, long refused, String text, String refusedName) {
    if (asJson) {
      var answer = new LinkedHashMap<String, Object>();
      if (!text.isEmpty()) {
        answer.put("partialSuccess", Map.of(refusedName, refused, "errorMessage", text));
      }
      return answer(200, true, json.writeValueAsBytes(answer), 0);
    }
    return answer(200, false, OtlpStatus.success(refused, text), 0);
  }

  /** A google.rpc.Status, as the protocol wants it for failures. */
  private ResponseEntity<byte[]> status(
      HttpServletRequest request,
      int http,
      boolean asJson,
      int code,
      String message,
      int retrySeconds) {
    request.setAttribute(Answers.REASON, message);
    if (asJson) {
      return answer(
          http,
          true,
          json.writeValueAsBytes(Map.of("code", code, "message", message)),
          retrySeconds);
    }
    return answer(http, false, OtlpStatus.failure(code, message), retrySeconds);
  }

  private static ResponseEntity<byte[]> answer(
      int http, boolean asJson, byte[] body, int retrySeconds) {
    var builder =
        ResponseEntity.status(http)
            .contentType(asJson ? MediaType.APPLICATION_JSON : MediaType.parseMediaType(PROTOBUF));
    return (retrySeconds > 0 ? builder.header("Retry-After", "" + retrySeconds) : builder)
        .body(body);
  }
}
