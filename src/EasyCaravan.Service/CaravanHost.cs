using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Threading.RateLimiting;
using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Protocols.Discovery;
using EasyCaravan.Protocols.Files.Mail;
using EasyCaravan.Protocols.Parcels;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Protocols.Smtp;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Api;
using EasyCaravan.Service.Hosting;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Notifying;
using EasyCaravan.Service.Parcels;
using EasyCaravan.Service.Scheduling;
using EasyCaravan.Service.Surveying;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Hosting.Server;
using Microsoft.AspNetCore.Hosting.Server.Features;
using Serilog;
using Serilog.Events;

namespace EasyCaravan.Service;

/// <summary>Puts the service together: data folder, store, workers, API, console.</summary>
public static class CaravanHost
{
    public const string TokenFile = "admin.token";

    private const string FilesFolder = "files";

    /// <summary>What was found in mail files; it can be deleted at any time.</summary>
    private const string IndexFolder = "indexes";

    private const UnixFileMode OwnFile = UnixFileMode.UserRead | UnixFileMode.UserWrite;
    private const UnixFileMode OwnFolder = OwnFile | UnixFileMode.UserExecute;

    private const string LockFile = "lock";
    private const string OwnerFile = "owner";

    /// <summary>Opens the data folder and builds the service, ready to be run.</summary>
    /// <exception cref="DataFolderException">The folder cannot be used; the message says what to do.</exception>
    public static async Task<WebApplication> BuildAsync(CaravanOptions options, CancellationToken cancel)
    {
        var folder = Path.GetFullPath(options.DataFolder);
        var held = OpenFolder(folder);
        var database = await OpenStoreAsync(folder, held, cancel);
        var owner = await ReadOwnerAsync(folder, cancel);

        // Content is served from beside the program, wherever it is started from.
        var builder = WebApplication.CreateSlimBuilder(
            new WebApplicationOptions
            {
                ContentRootPath = AppContext.BaseDirectory,
                WebRootPath = Path.Combine(AppContext.BaseDirectory, "wwwroot"),
            }
        );
        builder.WebHost.UseUrls(options.Listen.ToString().TrimEnd('/'));
        builder.WebHost.UseKestrelHttpsConfiguration();
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.AddServerHeader = false;
            if (options.Certificate is not null)
                kestrel.ConfigureHttpsDefaults(https =>
                    https.ServerCertificateSelector = (_, _) => kestrel.ApplicationServices.GetRequiredService<ServerCertificate>().Get()
                );
        });
        builder.Services.AddSerilog(log =>
            log.MinimumLevel.Is(options.Quiet ? LogEventLevel.Warning : LogEventLevel.Information)
                .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
                // The keys lie in a folder that only the service's user can read; the advice to encrypt them further is in
                // docs/operating.md.
                .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", LogEventLevel.Error)
                // The framework logs a warning because it replaces our 'no-store' by a stricter header.
                .MinimumLevel.Override("Microsoft.AspNetCore.Antiforgery", LogEventLevel.Error)
                // A port that is in use is reported in one sentence, without a stack trace.
                .MinimumLevel.Override("Microsoft.Extensions.Hosting.Internal.Host", LogEventLevel.Fatal)
                .WriteTo.Console(new VisibleLog(), standardErrorFromLevel: LogEventLevel.Verbose)
        );
        AddServices(builder.Services, options with { DataFolder = folder, Owner = owner }, database, held);
        var app = builder.Build();
        // Now, so that a wrong file is told at the start.
        app.Services.GetService<ServerCertificate>()?.Get();
        await WriteFirstTokenAsync(app.Services.GetRequiredService<Tokens>(), folder, cancel);
        MapAll(app);
        return app;
    }

    /// <summary>Where a started service listens.</summary>
    public static Uri AddressOf(WebApplication app) =>
        new(app.Services.GetRequiredService<IServer>().Features.Get<IServerAddressesFeature>()!.Addresses.First());

    private static void AddServices(IServiceCollection services, CaravanOptions options, Database database, FileStream held)
    {
        // Registered by a factory, so that it is disposed with the service.
        services.AddSingleton(options).AddSingleton(_ => database).AddSingleton(options.Time);
        services.AddSingleton(_ => new FolderLock(held));
        services
            .AddSingleton<Journal>()
            .AddSingleton<MoveStore>()
            .AddSingleton<Moves>()
            .AddSingleton<Plans>()
            .AddSingleton<Tokens>()
            .AddSingleton<Sessions>();
        services
            .AddSingleton<SurveyCache>()
            .AddSingleton<FolderTrials>()
            .AddSingleton<PendingConsents>()
            .AddSingleton<ConsentLinks>()
            .AddSingleton<ServiceTrials>()
            .AddSingleton<INameServers, MachineNameServers>();
        services.AddSingleton<Surveys>().AddSingleton<Decisions>().AddSingleton<Consents>().AddSingleton<IItemNumbers, ItemNumbers>();
        var files = options.FilesFolder ?? Path.Combine(options.DataFolder, FilesFolder);
        services
            .AddSingleton<ISecrets, SealedSecrets>()
            .AddSingleton<SecretPlaces>()
            .AddSingleton<AccountAccess>()
            .AddSingleton<Allowances>()
            .AddSingleton<CollectionHomes>()
            .AddSingleton<ServiceSpeeds>()
            .AddSingleton<ItemFiles>()
            .AddSingleton<Errands>()
            .AddSingleton<ParcelTerms>()
            .AddSingleton<ErrandAccounts>()
            .AddSingleton<ErrandStart>()
            .AddSingleton<ParcelListings>()
            .AddSingleton<ParcelArrivals>()
            .AddSingleton<FileDigests>()
            .AddSingleton(s => new MailFilePlaces(
                files,
                Path.Combine(options.DataFolder, IndexFolder),
                s.GetRequiredService<IItemNumbers>(),
                options.Time
            ))
            .AddSingleton(s => new ParcelPlaces(files, options.Time, s.GetRequiredService<InstallationKey>().SealParcel))
            .AddSingleton<CollectionAccounts>()
            .AddSingleton<IMailAccounts, MailAccounts>();
        services.AddSingleton(s => new AccessTokens(
            s.GetRequiredService<SecretPlaces>().Read,
            (service, who, next) =>
                s.GetRequiredService<Consents>().RotateAsync(service.Name, who.Account, who.Secret, next, CancellationToken.None),
            s.GetRequiredService<TimeProvider>()
        ));
        services
            .AddSingleton<ServiceSlots>()
            .AddSingleton<ServiceThrottle>()
            .AddSingleton<CurrentPlan>()
            .AddSingleton<CurrentRules>()
            .AddSingleton<Drains>()
            .AddSingleton<WorkSignal>()
            .AddSingleton<LiveHub>();
        services.AddSingleton<MoveContexts>().AddSingleton<MailOrders>().AddSingleton<CollectionOrders>().AddSingleton<SurveyRunner>();
        // The first of a kind runs it.
        foreach (var leg in options.Legs)
            services.AddSingleton(leg);
        services
            .AddSingleton<ILegRunner, ContactsLegRunner>()
            .AddSingleton<ILegRunner, CalendarsLegRunner>()
            .AddSingleton<ILegRunner, MailLegRunner>();
        services.AddSingleton<InstallationKey>();
        services.AddSingleton<HtmlEncoder, VisibleHtmlEncoder>();
        services.AddRazorComponents();
        services.AddSingleton<ComparisonRunner>().AddSingleton<CrossingRunner>().AddSingleton<Crossings>().AddSingleton<Correspondences>();
        services.AddSingleton<PassRunner>().AddSingleton<PassReport>().AddSingleton<MoveWorker>();
        services.AddSingleton<MoveBoard>().AddSingleton<SetSecrets>().AddSingleton<Looks>();
        services.AddSingleton<Forecasts>().AddSingleton<TimetableChanges>().AddSingleton<BatchHours>();
        services.AddSingleton<NoticeBox>().AddSingleton<IMessageSenders, SmtpSenders>();
        services
            .AddHostedService<NoticeKeeper>()
            .AddHostedService<NoticePost>()
            .AddHostedService<WebhookPost>()
            .AddHostedService<BounceWatch>();
        services
            .AddHostedService<MoveWorkers>()
            .AddHostedService<BatchStarts>()
            .AddHostedService<CrossingWaves>()
            .AddHostedService<HistoryKeeper>()
            .AddHostedService<ParcelKeeper>()
            .AddHostedService<TokenUses>();
        // In-flight batches end or are abandoned cleanly well within this; then the next start goes on from the ledger.
        services.Configure<HostOptions>(host => host.ShutdownTimeout = TimeSpan.FromSeconds(10));
        services
            .AddDataProtection()
            .SetApplicationName("EasyCaravan")
            .PersistKeysToFileSystem(new DirectoryInfo(Path.Combine(options.DataFolder, "keys")));
        services.ConfigureHttpJsonOptions(json => StrictJson.Configure(ContractJson.Configure(json.SerializerOptions)));
        services.AddProblemDetails(problems => problems.CustomizeProblemDetails = context => Problems.Complete(context.ProblemDetails));
        services.Configure<RouteHandlerOptions>(routes => routes.ThrowOnBadRequest = true);
        services.AddOpenApi("v1", ApiDescription.Configure);
        services.AddRateLimiter(limiter =>
        {
            limiter.RejectionStatusCode = StatusCodes.Status429TooManyRequests;
            limiter.OnRejected = async (rejected, cancel) =>
            {
                rejected.HttpContext.Response.Headers.RetryAfter = SessionApi.SlowWindow.TotalSeconds.ToString(
                    CultureInfo.InvariantCulture
                );
                await Problems.TooMany("Too many sign-ins were tried.", "Wait a minute and try again").ExecuteAsync(rejected.HttpContext);
            };
            limiter.AddPolicy(SessionApi.SlowPolicy, context =>
                RateLimitPartition.GetFixedWindowLimiter(
                    ProxyTrust.CallerOf(context.Connection.RemoteIpAddress),
                    _ => new FixedWindowRateLimiterOptions { PermitLimit = 10, Window = SessionApi.SlowWindow }
                )
            );
        });
        services.AddSingleton<HostCheck>();
        if (options.Certificate is var (certificate, key))
            services.AddSingleton(s => new ServerCertificate(
                certificate,
                key,
                s.GetRequiredService<TimeProvider>(),
                s.GetRequiredService<ILogger<ServerCertificate>>()
            ));
        Authentication.Add(services, options.PublicUrl);
    }

    private static void MapAll(WebApplication app)
    {
        app.Services.GetRequiredService<FolderLock>();
        ProxyTrust.Use(app, app.Services.GetRequiredService<CaravanOptions>());
        app.Use(PageSecurity.AddHeadersAsync);
        app.Use(app.Services.GetRequiredService<HostCheck>().RunAsync);
        app.UseExceptionHandler(
            new ExceptionHandlerOptions
            {
                ExceptionHandler = WriteErrorAsync,
                // Errors of the caller are in the answer and need not be in the log.
                SuppressDiagnosticsCallback = context =>
                    context.Exception is BadHttpRequestException or FaultException or StalePlanException,
            }
        );
        app.Use(KeepSecretsAsync);
        app.UseStatusCodePages();
        WebConsole.ConsolePages.UseFiles(app);
        app.UseRouting();
        app.UseAuthentication();
        app.Use(BodyLimits.RunAsync);
        app.UseRateLimiter();
        app.Use(Authentication.RequireAntiforgeryAsync);
        app.UseAuthorization();

        app.MapGet("/health/live", () => TypedResults.Ok()).ExcludeFromDescription();
        app.MapGet("/health/ready", ReadyAsync).ExcludeFromDescription();
        app.MapOpenApi("/openapi/{documentName}.json").RequireAuthorization();
        var open = app.MapGroup("/api/v1").WithTags("session");
        var api = app.MapGroup("/api/v1").WithTags("caravan").RequireAuthorization();
        SessionApi.Map(open, api);
        TokenApi.Map(api);
        PlanApi.Map(api);
        ServiceApi.Map(api);
        BatchApi.Map(api);
        SurveyApi.Map(api);
        FolderApi.Map(api);
        CollectionApi.Map(api);
        FileApi.Map(api);
        ParcelApi.Map(api);
        ParcelFileApi.Map(api);
        ParcelArrivalApi.Map(api);
        ParcelCoverApi.Map(api);
        ConsentApi.Map(open, api);
        LeftBehindApi.Map(api);
        DifferenceApi.Map(api);
        ComparisonApi.Map(api);
        TakeBackApi.Map(api);
        CrossingApi.Map(api);
        SealedWaybillApi.Map(api);
        WaybillPageApi.Map(api);
        AftercareApi.Map(api);
        CorrespondenceApi.Map(api);
        WaybillApi.Map(api);
        JournalApi.Map(api);
        TodayApi.Map(api);
        TimetableApi.Map(api);
        ForecastApi.Map(api);
        WideApi.Map(api);
        SecretApi.Map(api);
        NoticeApi.Map(api);
        LiveApi.Map(api);
        api.MapFallback("/{**rest}", () => Problems.NotFound("There is nothing at this address.", "See /openapi/v1.json for what there is"))
            .ExcludeFromDescription();
        WebConsole.ConsolePages.Map(app);
    }

    /// <summary>What a call has to do with secrets, its errors do not repeat.</summary>
    private static async Task KeepSecretsAsync(HttpContext context, RequestDelegate next)
    {
        using var secrecy = Secrecy.Begin();
        await next(context);
    }

    /// <summary>Ready when the store answers.</summary>
    private static async Task<IResult> ReadyAsync(MoveStore store, CancellationToken cancel)
    {
        await store.NextDueAsync(ScheduleRules.None, cancel);
        return TypedResults.Ok();
    }

    private static async Task WriteErrorAsync(HttpContext context)
    {
        var error = context.Features.Get<Microsoft.AspNetCore.Diagnostics.IExceptionHandlerFeature>()?.Error;
        IResult result = error switch
        {
            FaultException fault => Problems.Refused(fault.Fault),
            StalePlanException => Problems.Stale(),
            BadHttpRequestException { StatusCode: StatusCodes.Status413PayloadTooLarge } => BodyLimits.TooLarge(context),
            // Where in the body, and what is wrong there; never what stands there, which may be a secret.
            BadHttpRequestException { InnerException: JsonException json } => Problems.Invalid(
                json.Message,
                "See /openapi/v1.json for what this call takes"
            ),
            BadHttpRequestException bad => Problems.Invalid(bad.Message, "See /openapi/v1.json for what this call takes"),
            _ => Problems.Unexpected(),
        };
        await result.ExecuteAsync(context);
    }

    /// <summary>Only one service may use a data folder: two would each treat the other's moves as abandoned.</summary>
    private static FileStream OpenFolder(string folder)
    {
        try
        {
            Directory.CreateDirectory(folder, OwnFolder);
            var held = new FileStream(Path.Combine(folder, LockFile), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            Directory.CreateDirectory(Path.Combine(folder, "keys"), OwnFolder);
            Directory.CreateDirectory(Path.Combine(folder, "secrets"), OwnFolder);
            Tighten(folder);
            return held;
        }
        catch (IOException e)
        {
            throw new DataFolderException(
                $"The data folder {folder} is in use by another Easy Caravan service. Stop that one first, or use another folder with "
                    + "--data.",
                e
            );
        }
        catch (UnauthorizedAccessException e)
        {
            throw new DataFolderException(
                $"The data folder {folder} cannot be written to, or belongs to another user. Use another with --data, or change its owner.",
                e
            );
        }
    }

    /// <summary>
    /// A folder that was there before, or came back from a backup, may be open to others: passwords stand in it, and the keys to them.
    /// </summary>
    private static void Tighten(string folder)
    {
        foreach (var own in new[] { folder, Path.Combine(folder, "keys"), Path.Combine(folder, "secrets") })
        {
            if (File.GetUnixFileMode(own) is var mode && (mode & ~OwnFolder) != 0)
                File.SetUnixFileMode(own, OwnFolder);
            foreach (var file in Directory.EnumerateFiles(own))
                if (File.GetUnixFileMode(file) is var open && (open & ~OwnFile) != 0)
                    File.SetUnixFileMode(file, open & OwnFile);
        }
    }

    private static async Task<Database> OpenStoreAsync(string folder, FileStream held, CancellationToken cancel)
    {
        var file = Path.Combine(folder, "caravan.db");
        try
        {
            StoreFile.Check(file, wasInstalled: File.Exists(Path.Combine(folder, OwnerFile)));
            return await Database.OpenAsync(file, cancel);
        }
        catch (StoreFileException e)
        {
            await held.DisposeAsync();
            throw new DataFolderException(e.Message, e);
        }
    }

    private static async Task<string> ReadOwnerAsync(string folder, CancellationToken cancel)
    {
        var file = Path.Combine(folder, OwnerFile);
        if (!File.Exists(file))
            await File.WriteAllTextAsync(file, $"{Environment.MachineName}-{Guid.NewGuid():N}", cancel);
        return await File.ReadAllTextAsync(file, cancel);
    }

    private static async Task WriteFirstTokenAsync(Tokens tokens, string folder, CancellationToken cancel)
    {
        // When the last one is over, somebody has to get in again: who starts the service may read its folder.
        if (await tokens.AnyGoodAsync(cancel))
            return;
        var token = await tokens.CreateAsync("admin", null, null, cancel);
        var options = new FileStreamOptions
        {
            Mode = FileMode.Create,
            Access = FileAccess.Write,
            UnixCreateMode = OwnFile,
        };
        await using var writer = new StreamWriter(Path.Combine(folder, TokenFile), options);
        await writer.WriteLineAsync(token);
    }

    private sealed class FolderLock(FileStream held) : IDisposable
    {
        public void Dispose() => held.Dispose();
    }
}

/// <summary>The data folder cannot be used.</summary>
public sealed class DataFolderException(string message, Exception inner) : Exception(message, inner);
