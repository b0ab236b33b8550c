using EasyCaravan.Cli;
using EasyCaravan.Cli.Commands;

return await CaravanCommand.RunAsync(args, new CommandHost());
