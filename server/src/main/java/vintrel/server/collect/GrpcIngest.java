package vintrel.server.collect;

import io.grpc.Attributes;
import io.grpc.ForwardingServerCallListener;
import io.grpc.Grpc;
import io.grpc.Metadata;
import io.grpc.MethodDescriptor;
import io.grpc.Server;
import io.grpc.ServerCall;
import io.grpc.ServerCallHandler;
import io.grpc.ServerInterceptors;
import io.grpc.ServerServiceDefinition;
import io.grpc.ServerTransportFilter;
import io.grpc.Status;
import io.grpc.StatusRuntimeException;
import io.grpc.netty.shaded.io.grpc.netty.NettyServerBuilder;
import io.grpc.stub.ServerCalls;
import jakarta.annotation.PreDestroy;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.InetSocketAddress;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.beans.factory.annotation.Value;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.security.authentication.UsernamePasswordAuthenticationToken;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.stereotype.Component;
import vintrel.core.store.StoreBusyException;
import vintrel.core.unit.Durations;
import vintrel.core.wire.OtlpLogs;
import vintrel.core.wire.OtlpProtobuf;
import vintrel.core.wire.OtlpStatus;
import vintrel.core.wire.WireException;
import vintrel.server.store.LogStore;
import vintrel.server.web.Pools;
import vintrel.server.web.RequestMemory;
import vintrel.server.web.Settings;
import vintrel.server.web.TokenCheck;
import vintrel.server.web.TokenCheck.Right;
import vintrel.server.web.TooManyException;

/**
 * OTLP over gRPC (OpenTelemetry Protocol 1.x, section OTLP/gRPC): metrics and logs on a port of
 * their own, plain or gzip, with the token in the metadata {@code authorization}. Messages are read
 * from their bytes, as over HTTP, without generated classes. Each call has a virtual thread.
 */
@Component
class GrpcIngest {
  private static final Logger log = LoggerFactory.getLogger(GrpcIngest.class);
  private static final String METRICS = "opentelemetry.proto.collector.metrics.v1.MetricsService";
  private static final String LOGS = "opentelemetry.proto.collector.logs.v1.LogsService";
  private static final int MAX_CALLS_PER_CONNECTION = 16;

  /**
   * Of a message: it lies in memory, packed and unpacked, before the memory of requests counts it.
   */
  private static final int MAX_MESSAGE_BYTES = 8_000_000;

  /** Bytes of a call that are taken before its turn comes. */
  private static final int WINDOW = 65_535;

  /** Connections beyond this get no answer but that there are too many. */
  private static final int MAX_CONNECTIONS = 2_000;

  /** A call waits so long for its turn, s. */
  private static final int TURN_SECONDS = 10;

  private static final int MAX_METADATA_BYTES = 16_384;

  /** Bytes of the heap for a byte of log records that is read into objects. */
  private static final int SPREAD = 8;

  private static final Metadata.Key<String> AUTHORIZATION =
      Metadata.Key.of("authorization", Metadata.ASCII_STRING_MARSHALLER);
  private static final io.grpc.Context.Key<Caller> CALLER = io.grpc.Context.key("caller");

  /** In place of a message that unpacks to more than is accepted, or can't be unpacked. */
  private static final byte[] TOO_LARGE = new byte[0];

  private static final byte[] DAMAGED = new byte[0];

  /** Messages as they are. */
  static final MethodDescriptor.Marshaller<byte[]> BYTES =
      new MethodDescriptor.Marshaller<>() {
        @Override
        public InputStream stream(byte[] value) {
          return new ByteArrayInputStream(value);
        }

        @Override
        public byte[] parse(InputStream stream) {
          // What is thrown here ends the call without a word: the handler says what is wrong.
          try {
            return stream.readAllBytes();
          } catch (StatusRuntimeException e) {
            return TOO_LARGE;
          } catch (IOException e) {
            return DAMAGED;
          }
        }
      };

  private final TokenCheck tokens;
  private final SampleSinks sinks;
  private final SourceBook book;
  private final LogStore events;
  private final Attempts attempts;
  private final RequestMemory memory;
  private final Pools pools;
  private final Clock clock;
  private final int maxBytes;
  private final int port;
  private final String address;
  private final Duration patience;
  private final AtomicInteger connections = new AtomicInteger();
  private final AtomicLong badCalls = new AtomicLong();
  private final AtomicLong badTold = new AtomicLong();

  /** Calls whose message is being received: together they stay within a part of the memory. */
  private final Semaphore turns;

  private final ScheduledExecutorService ends =
      Executors.newSingleThreadScheduledExecutor(
          Thread.ofPlatform().daemon().name("grpc-ends").factory());
  private Server server;

  /** Who calls, from where. */
  private record Caller(String address, TokenCheck.Holder holder) {}

  GrpcIngest(
      TokenCheck tokens,
      SampleSinks sinks,
      SourceBook book,
      LogStore events,
      Attempts attempts,
      RequestMemory memory,
      Pools pools,
      Settings settings,
      Clock clock,
      @Value("${vintrel.grpc-patience}") Duration patience,
      @Value("${server.address:}") String address) {
    this.patience = patience;
    this.tokens = tokens;
    this.sinks = sinks;
    this.book = book;
    this.events = events;
    this.attempts = attempts;
    this.memory = memory;
    this.pools = pools;
    this.clock = clock;
    this.maxBytes = Math.min(MAX_MESSAGE_BYTES, settings.ingest().maxRequestBytes());
    this.turns = new Semaphore((int) Math.clamp(memory.max() / 2 / (2L * maxBytes), 2, 256), true);
    this.port = settings.train() ? 0 : settings.grpcPort();
    this.address = address;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (port == 0) {
      return;
    }
    var at = address.isEmpty() ? new InetSocketAddress(port) : new InetSocketAddress(address, port);
    var guard = new Guard();
    try {
      server =
          NettyServerBuilder.forAddress(at)
              .maxInboundMessageSize(maxBytes)
              .maxInboundMetadataSize(MAX_METADATA_BYTES)
              .maxConcurrentCallsPerConnection(MAX_CALLS_PER_CONNECTION)
              .flowControlWindow(WINDOW)
              .handshakeTimeout(20, TimeUnit.SECONDS)
              .maxConnectionIdle(5, TimeUnit.MINUTES)
              .addTransportFilter(new Counting())
              .permitKeepAliveTime(10, TimeUnit.SECONDS)
              .executor(Executors.newVirtualThreadPerTaskExecutor())
              .addService(ServerInterceptors.intercept(service(METRICS, this::metrics), guard))
              .addService(ServerInterceptors.intercept(service(LOGS, this::logs), guard))
              .build()
              .start();
    } catch (IOException e) {
      log.warn(
          "OTLP over gRPC is off: can't listen on port {} ({}); set VINTREL_GRPC_PORT to another,"
              + " or 0 for off",
          port,
          e.getMessage());
    }
  }

  /** The port that is listened on; -1 if it is off. */
  int port() {
    return server == null ? -1 : server.getPort();
  }

  private interface Export {
    byte[] take(byte[] request, Caller caller);
  }

  private ServerServiceDefinition service(String name, Export export) {
    var method =
        MethodDescriptor.<byte[], byte[]>newBuilder()
            .setType(MethodDescriptor.MethodType.UNARY)
            .setFullMethodName(MethodDescriptor.generateFullMethodName(name, "Export"))
            .setRequestMarshaller(BYTES)
            .setResponseMarshaller(BYTES)
            .build();
    return ServerServiceDefinition.builder(name)
        .addMethod(
            method,
            ServerCalls.<byte[], byte[]>asyncUnaryCall(
                (request, out) -> {
                  var caller = CALLER.get();
                  try {
                    needWhole(request);
                    out.onNext(answer(name, request, caller, export));
                    out.onCompleted();
                  } catch (RuntimeException e) {
                    out.onError(status(e, name, caller).asRuntimeException());
                  }
                }))
        .build();
  }

  private void needWhole(byte[] request) {
    if (request == TOO_LARGE) {
      throw new TooManyException(
          "the message is larger than %,d bytes once unpacked; send smaller batches"
              .formatted(maxBytes),
          0);
    }
    if (request == DAMAGED) {
      throw new WireException("the message can't be unpacked");
    }
  }

  private byte[] answer(String name, byte[] request, Caller caller, Export export) {
    var who =
        UsernamePasswordAuthenticationToken.authenticated(caller.holder().name(), null, List.of());
    who.setDetails(caller.holder());
    SecurityContextHolder.getContext().setAuthentication(who);
    try {
      var answer = export.take(request, caller);
      note(name, caller.address(), caller.holder().name(), request.length, 200, "");
      return answer;
    } finally {
      SecurityContextHolder.clearContext();
    }
  }

  private byte[] metrics(byte[] request, Caller caller) {
    var sink = sinks.open(null, sender(caller, Way.OTLP_GRPC));
    try (var lease = memory.open()) {
      lease.take(request.length);
      pools.read(
          request.length,
          () -> {
            OtlpProtobuf.read(request, sinks.cache(sink), sink);
            return sink;
          });
      var outcome = sink.keep();
      return OtlpStatus.success(outcome.refused(), outcome.told());
    }
  }

  private byte[] logs(byte[] request, Caller caller) {
    try (var lease = memory.open()) {
      lease.take(SPREAD * (long) request.length);
      var store = sinks.store(null);
      var read =
          pools.read(
              request.length,
              () -> OtlpLogs.protobuf(request, sinks.rules(caller.holder().name())));
      var receipt = events.append(store, sinks.labelled(read.events()), caller.holder().name());
      long lost = read.refused() + receipt.rejected();
      var why = receipt.why().isEmpty() ? read.why() : receipt.why();
      book.note(sender(caller, Way.LOGS_GRPC), receipt.accepted(), lost, why);
      return OtlpStatus.success(lost, why);
    }
  }

  private static Sender sender(Caller caller, Way way) {
    return new Sender(caller.holder().name(), caller.holder().id(), way, caller.address());
  }

  private Status status(RuntimeException e, String name, Caller caller) {
    var status =
        switch (e) {
          case WireException w -> Status.INVALID_ARGUMENT;
          case IllegalArgumentException i -> Status.INVALID_ARGUMENT;
          case StoreBusyException b -> Status.UNAVAILABLE;
          case TooManyException t -> Status.RESOURCE_EXHAUSTED;
          default -> {
            log.error("an OTLP call failed", e);
            yield Status.INTERNAL;
          }
        };
    boolean internal = status == Status.INTERNAL;
    var text = internal ? "the request failed; see the server's log" : e.getMessage();
    note(name, caller.address(), caller.holder().name(), -1, http(status), text);
    bad(text);
    return status.withDescription(text);
  }

  /** Bad calls are counted: one line a minute at most says how many there were. */
  private void bad(String why) {
    long now = clock.millis();
    long count = badCalls.incrementAndGet();
    long last = badTold.get();
    if (now - last >= Durations.MINUTE && badTold.compareAndSet(last, now)) {
      badCalls.addAndGet(-count);
      log.warn("{} gRPC calls were rejected; the last: {}", count, why);
    }
  }

  private static int http(Status status) {
    return switch (status.getCode()) {
      case UNAUTHENTICATED -> 401;
      case PERMISSION_DENIED -> 403;
      case RESOURCE_EXHAUSTED -> 429;
      case UNAVAILABLE -> 503;
      case INVALID_ARGUMENT -> 400;
      default -> 500;
    };
  }

  private void note(String name, String from, String token, long bytes, int status, String reason) {
    var path = "gRPC " + name.substring(name.lastIndexOf('.') + 1);
    attempts.note(
        new Attempts.Attempt(
            clock.millis(), from, token, path, "application/grpc", bytes, status, reason, ""));
  }

  /** Looks at the token before a message is read. */
  private final class Guard implements io.grpc.ServerInterceptor {
    @Override
    public <Q, S> ServerCall.Listener<Q> interceptCall(
        ServerCall<Q, S> call, Metadata headers, ServerCallHandler<Q, S> next) {
      var remote = call.getAttributes().get(Grpc.TRANSPORT_ATTR_REMOTE_ADDR);
      var from = remote instanceof InetSocketAddress s ? s.getAddress().getHostAddress() : "";
      var service = call.getMethodDescriptor().getServiceName();
      var sent = headers.get(AUTHORIZATION);
      var verdict =
          sent != null && sent.regionMatches(true, 0, "Bearer ", 0, 7)
              ? tokens.check(sent.substring(7).strip(), from)
              : new TokenCheck.Verdict(
                  null, 401, "no token: send the metadata authorization: Bearer TOKEN", "");
      var holder = verdict.holder();
      var right = LOGS.equals(service) ? Right.EVENTS : Right.METRICS;
      if (holder == null || !holder.rights().contains(right)) {
        boolean unknown = holder == null && verdict.status() == 401;
        var status = unknown ? Status.UNAUTHENTICATED : Status.PERMISSION_DENIED;
        var reason = holder == null ? verdict.reason() : "this token may not " + right.words();
        note(service, from, verdict.name(), -1, http(status), reason);
        bad(reason);
        call.close(status.withDescription(reason), new Metadata());
        return new ServerCall.Listener<>() {};
      }
      if (connections.get() > MAX_CONNECTIONS || !turn()) {
        var busy = "too many calls at once; send it again later";
        note(service, from, holder.name(), -1, http(Status.UNAVAILABLE), busy);
        call.close(Status.UNAVAILABLE.withDescription(busy), new Metadata());
        return new ServerCall.Listener<>() {};
      }
      var context = io.grpc.Context.current().withValue(CALLER, new Caller(from, holder));
      var turn = new Turn(call);
      try {
        return turn.over(io.grpc.Contexts.interceptCall(context, call, headers, next));
      } catch (RuntimeException e) {
        turn.pass();
        throw e;
      }
    }

    /** Waits on the call's own thread; nothing of the message is asked for before. */
    private boolean turn() {
      try {
        return turns.tryAcquire(TURN_SECONDS, TimeUnit.SECONDS);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return false;
      }
    }
  }

  /** A call's turn to be received: ends with its message, with the call, or with its time. */
  private final class Turn {
    private final AtomicBoolean passed = new AtomicBoolean();
    private final ScheduledFuture<?> end;

    Turn(ServerCall<?, ?> call) {
      end =
          ends.schedule(
              () -> {
                if (pass()) {
                  var late = "no complete message within " + patience.toSeconds() + " s";
                  call.close(Status.DEADLINE_EXCEEDED.withDescription(late), new Metadata());
                }
              },
              patience.toMillis(),
              TimeUnit.MILLISECONDS);
    }

    /** True the first time. */
    boolean pass() {
      boolean first = passed.compareAndSet(false, true);
      if (first) {
        turns.release();
      }
      return first;
    }

    <Q> ServerCall.Listener<Q> over(ServerCall.Listener<Q> next) {
      return new ForwardingServerCallListener.SimpleForwardingServerCallListener<>(next) {
        @Override
        public void onMessage(Q message) {
          end.cancel(false);
          if (pass()) {
            super.onMessage(message);
          }
        }

        @Override
        public void onCancel() {
          end.cancel(false);
          pass();
          super.onCancel();
        }

        @Override
        public void onComplete() {
          end.cancel(false);
          pass();
          super.onComplete();
        }
      };
    }
  }

  /** Counts connections. */
  private final class Counting extends ServerTransportFilter {
    @Override
    public Attributes transportReady(Attributes attributes) {
      connections.incrementAndGet();
      return attributes;
    }

    @Override
    public void transportTerminated(Attributes attributes) {
      if (attributes != null) {
        connections.decrementAndGet();
      }
    }
  }

  @PreDestroy
  void stop() throws InterruptedException {
    ends.shutdownNow();
    if (server != null) {
      server.shutdown();
      if (!server.awaitTermination(5, TimeUnit.SECONDS)) {
        server.shutdownNow();
      }
    }
  }
}
